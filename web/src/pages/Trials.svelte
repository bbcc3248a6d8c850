<script lang="ts">
  /** The trials that are open, and a place to begin one. */
  import { api, type MapInfo, type Trials } from '../api/client';
  import { ask } from '../lib/ask';
  import { links, place } from '../lib/place.svelte';
  import { rights } from '../lib/rights.svelte';
  import { revision } from '../lib/revision.svelte';
  import Notice from '../parts/Notice.svelte';

  let { map }: { map: MapInfo } = $props();

  let all = $state<Trials | null>(null);
  let wrong = $state('');
  let name = $state('');
  let note = $state('');

  $effect(() => {
    void revision.changes;
    return ask(
      () => api.trials(),
      (got) => ((all = got), (wrong = '')),
      (error) => (wrong = error.message),
    );
  });

  async function begin(event: SubmitEvent) {
    event.preventDefault();
    try {
      const made = await api.beginTrial(name.trim(), note.trim());
      place.go(links.trial(made.name));
    } catch (error) {
      wrong = (error as Error).message;
    }
  }
</script>

<svelte:head><title>Trials · Gate Map</title></svelte:head>

<main class="page controls">
  <h1>Trials</h1>
  <p class="lead">Staged changes and their outcome: who gains and who loses what, before anything is committed. Revision {map.revision} is in force.</p>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if !all}
    <Notice kind="wait" title="Fetching the trials …" />
  {:else if all.trials.length === 0}
    <Notice kind="empty" title="No trial is open">Begin one below, or with <code>gatemap trial begin NAME</code>.</Notice>
  {:else}
    <ul>
      {#each all.trials as trial (trial.name)}
        <li class:stuck={!trial.applies}>
          <a href={links.trial(trial.name)}>{trial.name}</a>
          <span>{trial.changes.length} {trial.changes.length === 1 ? 'change' : 'changes'} by {trial.author}{trial.note ? ` · ${trial.note}` : ''}</span>
          {#if !trial.applies}<span>It cannot be applied: {trial.obstacle}</span>{/if}
        </li>
      {/each}
    </ul>
  {/if}
  {#if rights.stage}
    <form onsubmit={begin}>
      <h2>Begin a trial</h2>
      <label>Name <input required pattern="[a-zA-Z0-9][a-zA-Z0-9._\-]*" bind:value={name} /></label>
      <label>Note <input bind:value={note} /></label>
      <button>Begin the trial</button>
    </form>
  {/if}
</main>

<style>
  .lead {
    color: var(--ink-soft);
  }
  ul {
    list-style: none;
    padding: 0;
    margin-bottom: var(--s8);
  }
  li {
    display: grid;
    padding: var(--s3) var(--s4);
    border-left: 4px solid var(--water);
    background: var(--sheet);
    margin-bottom: var(--s2);
  }
  li.stuck {
    border-color: var(--shut);
  }
  li a {
    font-weight: 700;
  }
  li span {
    color: var(--ink-soft);
    overflow-wrap: anywhere;
  }
  form {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3) var(--s4);
    align-items: end;
  }
  h2 {
    flex-basis: 100%;
  }
  label {
    display: grid;
    font-weight: 700;
  }
</style>
