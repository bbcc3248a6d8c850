<script lang="ts">
  /** A file of the map as text: changed, or rewritten, as a whole. */
  import { untrack } from 'svelte';
  import { api, type Change } from '../api/client';
  import { ask } from '../lib/ask';
  import { place } from '../lib/place.svelte';
  import Notice from './Notice.svelte';
  import Stager from './Stager.svelte';

  let { path = '', example = '' }: { path?: string; example?: string } = $props();

  const id = $props.id();
  let file = $state(untrack(() => path));
  let was = $state('');
  let text = $state(untrack(() => example));
  let fetched = $state(untrack(() => path === ''));
  let wrong = $state('');

  $effect(() => {
    void place.get('trial');
    if (!path) return;
    return ask(
      () => api.document(path),
      (got) => {
        if (text === was) text = got;
        was = got;
        fetched = true;
      },
      (error: Error) => (wrong = error.message),
    );
  });

  const change = $derived<Change | null>(file.trim() && text !== was && text.trim() ? ({ do: 'write-document', document: file.trim(), value: text } as Change) : null);
</script>

<section class="sheet" aria-label={path || 'A new file'}>
  <h2>{path || 'A new file'}</h2>
  {#if wrong}<Notice kind="wrong" title="No file">{wrong}</Notice>
  {:else if !fetched}<Notice kind="wait" title="Fetching the file …" />
  {:else}
    {#if !path}
      <label for="{id}-file">File</label>
      <input id="{id}-file" class="figures" bind:value={file} placeholder="systems/new-system.yaml" />
    {/if}
    <label for="{id}-text">Content</label>
    <textarea id="{id}-text" class="figures" rows="24" spellcheck="false" bind:value={text}></textarea>
    <Stager {change} />
  {/if}
</section>

<style>
  label {
    display: block;
    font-weight: 700;
    font-size: var(--small);
  }
  input,
  textarea {
    width: 100%;
    padding: var(--s2) var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--paper);
    color: var(--ink);
  }
</style>
