<script lang="ts">
  /** What was done and refused, by whom and when. */
  import { api, type Entry, type MapInfo } from '../api/client';
  import { ask } from '../lib/ask';
  import { place } from '../lib/place.svelte';
  import type { Column } from '../lib/rows';
  import { when } from '../lib/when';
  import Notice from '../parts/Notice.svelte';
  import Table from '../parts/Table.svelte';

  let { map }: { map: MapInfo } = $props();

  let entries = $state.raw<readonly Entry[] | null>(null);
  let older = $state('');
  let wrong = $state('');
  let verdict = $state('');

  const part = $derived(Object.fromEntries(['actor', 'object', 'since', 'until'].map((k) => [k, place.get(k)])) as Record<'actor' | 'object' | 'since' | 'until', string>);
  const asked = () => ({
    actor: part.actor, object: part.object, ...(part.since ? { from: `${part.since}T00:00:00Z` } : {}), ...(part.until ? { to: `${part.until}T23:59:59Z` } : {}),
  });
  $effect(() => {
    return ask(() => api.audit(asked()), (got) => ((entries = got.entries), (older = got.next ?? ''), (wrong = '')), (error: Error) => (wrong = error.message));
  });

  async function more() {
    const got = await api.audit({ ...asked(), cursor: older });
    entries = [...entries!, ...got.entries];
    older = got.next ?? '';
  }
  async function verify() {
    try {
      const v = await api.verifyAudit();
      verdict = v.holds ? `All ${v.entries} entries are unchanged. The hash of the last one is ${v.hash}.` : `Entry ${v.broken} does not hold: ${v.reason}.`;
    } catch (error) {
      wrong = (error as Error).message;
    }
  }

  const columns: Column<Entry>[] = [
    { name: 'number', label: 'Entry', text: (e) => String(e.number), number: true },
    { name: 'at', label: 'Time', text: (e) => when(e.at), figures: true },
    { name: 'actor', label: 'Actor', text: (e) => e.actor },
    { name: 'act', label: 'Action', text: (e) => e.act },
    { name: 'object', label: 'Object', text: (e) => e.object ?? '', figures: true },
    { name: 'result', label: 'Result', text: (e) => e.result },
    { name: 'detail', label: 'Detail', text: (e) => e.detail ?? '' },
    { name: 'origin', label: 'Origin', text: (e) => e.origin ?? '', figures: true },
  ];
  const fields = [['actor', 'By', 'text'], ['object', 'To', 'text'], ['since', 'From', 'date'], ['until', 'Until', 'date']] as const;
</script>

<svelte:head><title>Audit · Gate Map</title></svelte:head>

<main class="page">
  <h1>Audit</h1>
  <p class="soft">Everything that was done to {map.title} here, and everything that was refused. Entries are never changed or removed.</p>
  <div class="ask">
    {#each fields as [key, label, type] (key)}
      <label>{label} <input {type} value={part[key]} onchange={(e) => place.set({ [key]: e.currentTarget.value })} /></label>
    {/each}
    <button class="act" onclick={verify}>Verify the audit</button>
  </div>
  {#if verdict}<p role="status" class="verdict">{verdict}</p>{/if}
  {#if wrong}<Notice kind="wrong" title="No audit">{wrong}</Notice>
  {:else if !entries}<Notice kind="wait" title="Fetching the audit …" />
  {:else}
    <Table name="audit" label="Audit" rows={entries} {columns} nothing="No entries match." />
    {#if older}<p><button class="act" onclick={more}>Show older</button></p>{/if}
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
