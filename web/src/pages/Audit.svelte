<script lang="ts">
  /** What was done and refused, by whom and when. */
  import { api, type Entry, type MapInfo } from '../api/client';
  import { place } from '../lib/place.svelte';
  import type { Column } from '../lib/rows';
  import { when } from '../lib/when';
  import Notice from '../parts/Notice.svelte';
  import Table from '../parts/Table.svelte';

  let { map }: { map: MapInfo } = $props();

  let entries = $state.raw<readonly Entry[] | null>(null);
  let older = $state(false);
  let wrong = $state('');
  let verdict = $state('');

  const part = $derived(Object.fromEntries(['actor', 'object', 'since', 'until'].map((k) => [k, place.get(k)])) as Record<'actor' | 'object' | 'since' | 'until', string>);
  const asked = (before = 0) => ({
    actor: part.actor, object: part.object, ...(part.since ? { from: `${part.since}T00:00:00Z` } : {}), ...(part.until ? { to: `${part.until}T23:59:59Z` } : {}), ...(before ? { before } : {}),
  });
  $effect(() => {
    api.audit(asked()).then((got) => ((entries = got.entries), (older = got.entries.length === 100), (wrong = '')), (error: Error) => (wrong = error.message));
  });

  async function more() {
    const got = await api.audit(asked(entries!.at(-1)!.number));
    entries = [...entries!, ...got.entries];
    older = got.entries.length === 100;
  }
  async function verify() {
    try {
      const v = await api.verifyAudit();
      verdict = v.holds ? `All ${v.entries} entries are what they were when they were written. The last one's hash is ${v.hash}.` : `Entry ${v.broken} is not what it was: ${v.reason}.`;
    } catch (error) {
      wrong = (error as Error).message;
    }
  }

  const columns: Column<Entry>[] = [
    { name: 'number', label: 'Entry', text: (e) => String(e.number), number: true },
    { name: 'at', label: 'When', text: (e) => when(e.at), figures: true },
    { name: 'actor', label: 'Who', text: (e) => e.actor },
    { name: 'act', label: 'Did what', text: (e) => e.act },
    { name: 'object', label: 'To what', text: (e) => e.object ?? '', figures: true },
    { name: 'result', label: 'Result', text: (e) => e.result },
    { name: 'detail', label: 'In detail', text: (e) => e.detail ?? '' },
    { name: 'origin', label: 'From', text: (e) => e.origin ?? '', figures: true },
  ];
  const fields = [['actor', 'By', 'text'], ['object', 'To', 'text'], ['since', 'From', 'date'], ['until', 'Until', 'date']] as const;
</script>

<svelte:head><title>Audit · Gate Map</title></svelte:head>

<main class="page">
  <h1>Audit</h1>
  <p class="soft">Everything that was done to {map.title} here, and everything that was refused. Nothing in it can be changed or taken away.</p>
  <div class="ask">
    {#each fields as [key, label, type] (key)}
      <label>{label} <input {type} value={part[key]} onchange={(e) => place.set({ [key]: e.currentTarget.value })} /></label>
    {/each}
    <button class="act" onclick={verify}>Verify all of it</button>
  </div>
  {#if verdict}<p role="status" class="verdict">{verdict}</p>{/if}
  {#if wrong}<Notice kind="wrong" title="No audit">{wrong}</Notice>
  {:else if !entries}<Notice kind="wait" title="Fetching the audit …" />
  {:else}
    <Table name="audit" label="Audit" rows={entries} {columns} nothing="Nothing like that." />
    {#if older}<p><button class="act" onclick={more}>Older ones</button></p>{/if}
  {/if}
</main>

<style>
  .ask {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3);
    align-items: end;
  }
  label {
    display: grid;
    font-weight: 700;
    font-size: var(--small);
  }
  input {
    min-height: 2.25rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--sheet);
    color: var(--ink);
  }
  .verdict {
    padding: var(--s2) var(--s3);
    background: var(--water-wash);
    overflow-wrap: anywhere;
  }
</style>
