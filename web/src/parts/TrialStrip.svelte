<script lang="ts">
  /** Says that what is shown is as a trial would make it, and what was staged last. */
  import { api, type Trial } from '../api/client';
  import { ask } from '../lib/ask';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { trying } from '../lib/trying.svelte';

  let trial = $state<Trial | null>(null);
  let wrong = $state('');

  $effect(() => {
    void revision.changes;
    void trying.last;
    const name = trying.name;
    trial = null;
    wrong = '';
    if (!name) return;
    return ask(
      () => api.trials(),
      (all) => {
        trial = all.trials.find((t) => t.name.toLowerCase() === name.toLowerCase()) ?? null;
        if (!trial) wrong = `The trial ${name} is no longer open.`;
      },
      (error: Error) => (wrong = error.message),
    );
  });
</script>

{#if trying.name}
  <div class="strip no-print" role="status">
    {#if wrong}
      <span>{wrong}</span>
    {:else}
      <span>With the trial <a href={links.trial(trying.name)}>{trying.name}</a>{trial ? `: ${trial.changes.length} ${trial.changes.length === 1 ? 'change' : 'changes'}` : ''}.{trial && !trial.applies ? ` It cannot be made: ${trial.obstacle}` : ''}</span>
    {/if}
    {#if trying.last && trying.last.trial === trying.name}
      <span>Staged: {trying.last.sentence} <button onclick={() => trying.unstage()}>Unstage</button></span>
    {/if}
    {#if trying.wrong}<span>{trying.wrong}</span>{/if}
    <button onclick={() => place.set({ trial: '' })}>Leave the trial</button>
  </div>
{/if}

<style>
  .strip {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s1) var(--s6);
    padding: var(--s2) var(--s6);
    background: var(--depends-wash);
    border-bottom: 1px solid var(--depends);
    overflow-wrap: anywhere;
  }
  .strip > :last-child {
    margin-left: auto;
  }
  button {
    border: 0;
    background: none;
    padding: 0;
    min-height: 24px;
    color: var(--water);
    text-decoration: underline;
    text-underline-offset: 3px;
    cursor: pointer;
  }
</style>
