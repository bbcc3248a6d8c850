<script lang="ts">
  /** What is wrong, useless or risky, by kind. */
  import { api, type Finding, type Findings, type MapInfo } from '../api/client';
  import { ask } from '../lib/ask';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import type { Column } from '../lib/rows';
  import FindingList from '../parts/FindingList.svelte';
  import Notice from '../parts/Notice.svelte';
  import Table from '../parts/Table.svelte';

  let { map }: { map: MapInfo } = $props();

  const part = 200;
  let found = $state.raw<Findings | null>(null);
  let lists = $state<Record<string, Findings>>({});
  let table = $state.raw<readonly Finding[]>([]);
  let wrong = $state('');
  const code = $derived(place.get('code'));
  const asTable = $derived(place.get('view') === 'table');

  $effect(() => {
    void revision.changes;
    void place.get('trial');
    lists = {};
    const stop = new AbortController();
    void look(stop.signal);
    return () => stop.abort();
  });

  /** Shows what was found so far, again and again until it is everything. */
  async function look(stop: AbortSignal) {
    try {
      for (;;) {
        const got = await api.findings({ limit: 1, so_far: 'true' });
        if (stop.aborted) return;
        const grown = found?.total !== got.total || found.pending !== got.pending;
        [found, wrong] = [got, ''];
        if (grown) for (const c of got.codes) if (lists[c.code] || (code ? c.code === code : c.severity === 'error')) void open(c.code, c.count);
        if (!got.pending) return;
        await new Promise((done) => setTimeout(done, 500));
        if (stop.aborted) return;
      }
    } catch (error) {
      if (!stop.aborted) wrong = (error as Error).message;
    }
  }
  $effect(() => {
    void revision.changes;
    if (!asTable || !found || found.pending) return;
    return ask(() => api.findings({ limit: 1000 }), (got) => (table = got.findings), (error) => (wrong = error.message));
  });

  async function open(name: string, count = lists[name]?.total) {
    if (lists[name] && lists[name].total === count) return;
    const into = lists; // others take its place when the map changes
    const got = await api.findings({ code: name, limit: part, so_far: found?.pending ? 'true' : undefined });
    into[name] = got;
  }
  async function more(name: string) {
    const into = lists;
    const next = await api.findings({ code: name, limit: part, cursor: into[name]!.next ?? '' });
    into[name] = { ...next, findings: [...into[name]!.findings, ...next.findings] };
  }

  const columns: Column<Finding>[] = [
    { name: 'severity', label: 'Severity', text: (f) => f.severity },
    { name: 'code', label: 'Code', text: (f) => f.code, figures: true },
    { name: 'at', label: 'Line', text: (f) => [f.where.system, f.where.rule].filter(Boolean).join('/'), href: (f) => (f.where.system ? links.system(f.where.system, f.where.rule ? { line: `${f.where.system}/${f.where.rule}` } : {}) : ''), figures: true },
    { name: 'place', label: 'Place', text: (f) => [f.where.file, f.where.line].filter(Boolean).join(':'), figures: true },
    { name: 'message', label: 'Problem', text: (f) => f.message },
    { name: 'fix', label: 'Fix', text: (f) => f.fix },
  ];
</script>

<svelte:head><title>Findings · Gate Map</title></svelte:head>

<main class="page">
  <h1>Findings <small class="soft">{found?.total ?? ''}</small></h1>
  {#if wrong}<Notice kind="wrong" title="No findings">{wrong}</Notice>
  {:else if !found}<Notice kind="wait" title="Checking the map of {map.users} people …" />
  {:else if found.total === 0 && !found.pending}<Notice kind="empty" title="No findings">Nothing wrong, useless or risky was found.</Notice>
  {:else}
    {#if found.pending}<p class="soft" role="status">More is being looked for in the map of {map.users} people …</p>{/if}
    <p class="no-print">
      <button class="act" aria-pressed={asTable} onclick={() => place.set({ view: asTable ? '' : 'table' })}>{asTable ? 'Group by code' : 'Show as a table'}</button>
    </p>
    {#if asTable}
      {#if found.total > table.length && table.length > 0}<p class="soft">The {table.length} most severe of {found.total}.</p>{/if}
      <Table name="findings" label="Findings" rows={table} {columns} />
    {:else}
      {#each found.codes as c (c.code)}
        <details open={code ? code === c.code : c.severity === 'error'} ontoggle={(e) => (e.currentTarget as HTMLDetailsElement).open && open(c.code)}>
          <summary><strong class="figures">{c.code}</strong> {c.count} {c.severity}{c.count === 1 ? '' : 's'}</summary>
          {#if lists[c.code]}
            <FindingList findings={lists[c.code]!.findings} />
            {#if lists[c.code]!.next}<p><button class="act" onclick={() => more(c.code)}>Fetch more</button></p>{/if}
          {:else}<p class="soft">Fetching them …</p>{/if}
        </details>
      {/each}
    {/if}
  {/if}
</main>

<style>
  details {
    border-top: 2px solid var(--ink);
  }
  summary {
    padding: var(--s2) 0;
    cursor: pointer;
    font-size: 1.125rem;
  }
</style>
