<script lang="ts">
  /** What the commit of a trial first writes where records come from: asked for when it is opened. */
  import { api, type Trial, type Writes } from '../api/client';
  import { ask } from '../lib/ask';
  import Notice from './Notice.svelte';

  let { trial }: { trial: Trial } = $props();

  let open = $state(false);
  let writes = $state.raw<Writes | null>(null);
  let wrong = $state('');

  $effect(() => {
    void trial.version;
    if (!open) return;
    return ask(
      () => api.writes(trial.name),
      (got) => ((writes = got), (wrong = '')),
      (error) => ((writes = null), (wrong = error.message)),
    );
  });
</script>

<details bind:open>
  <summary>What the commit writes first</summary>
  {#if wrong}
    <Notice kind="wrong" title="It cannot be written as things are">{wrong}</Notice>
  {:else if !writes}
    <Notice kind="wait" title="Asking the server …" />
  {:else}
    <ol>
      {#each writes.writes as w, i (i)}
        <li>
          <p>{w.for} <span class="soft figures">{w.directory} at {w.server}</span></p>
          {#if w.password}<p class="soft">It gets a first password, which who commits sees once.</p>{/if}
          {#if w.text}<pre class="figures">{w.text}</pre>{:else}<p class="soft">It is so already.</p>{/if}
        </li>
      {/each}
    </ol>
    {#if writes.stays?.length}
      <p>Not written: change it where it comes from, or the next intake restores what is there.</p>
      <ul>{#each writes.stays as s (s)}<li>{s}</li>{/each}</ul>
    {/if}
  {/if}
</details>

<style>
  details {
    margin-top: var(--s3);
  }
  summary {
    cursor: pointer;
    font-weight: 700;
  }
  li {
    margin-top: var(--s3);
  }
  ol,
  ul {
    padding-left: var(--s6);
  }
  pre {
    margin-top: var(--s1);
    padding: var(--s3);
    background: var(--paper);
    border: var(--line);
    overflow-x: auto;
  }
</style>
