<script lang="ts">
  /** What is wrong, useless or risky, by kind. */
  import { api, type Finding, type MapInfo } from '../api/client';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import type { Column } from '../lib/rows';
  import FindingList from '../parts/FindingList.svelte';
  import Notice from '../parts/Notice.svelte';
  import Table from '../parts/Table.svelte';

  let { map }: { map: MapInfo } = $props();

  let all = $state.raw<readonly Finding[] | null>(null);
  let wrong = $state('');
  $effect(() => {
    void revision.changes;
    void place.get('trial');
    api.findings().then((got) => ((all = got.findings), (wrong = '')), (error: Error) => (wrong = error.message));
  });

  const rank = { error: 0, warning: 1, note: 2 };
  const groups = $derived.by(() => {
    const found = new Map<string, Finding[]>();
    for (const f of all ?? []) found.set(f.code, [...(found.get(f.code) ?? []), f]);
    return [...found].sort(([, a], [, b]) => rank[a[0]!.severity] - rank[b[0]!.severity] || b.length - a.length);
  });
  const code = $derived(place.get('code'));
  const columns: Column<Finding>[] = [
    { name: 'severity', label: 'Severity', text: (f) => f.severity },
    { name: 'code', label: 'Code', text: (f) => f.code, figures: true },
    { name: 'at', label: 'Line', text: (f) => [f.where.system, f.where.rule].filter(Boolean).join('/'), href: (f) => (f.where.system ? links.system(f.where.system, f.where.rule ? { line: `${f.where.system}/${f.where.rule}` } : {}) : ''), figures: true },
    { name: 'place', label: 'Stands at', text: (f) => [f.where.file, f.where.line].filter(Boolean).join(':'), figures: true },
    { name: 'message', label: 'What is wrong', text: (f) => f.message },
    { name: 'fix', label: 'What to do', text: (f) => f.fix },
  ];
</script>

<svelte:head><title>Findings · Gate Map</title></svelte:head>

<main class="page">
  <h1>Findings <small class="soft">{all?.length ?? ''}</small></h1>
  {#if wrong}<Notice kind="wrong" title="No findings">{wrong}</Notice>
  {:else if !all}<Notice kind="wait" title="Looking through the whole map of {map.users} people …" />
  {:else if all.length === 0}<Notice kind="empty" title="Nothing is wrong">No finding of any kind.</Notice>
  {:else}
    <p class="soft no-print">
      <button class="act" aria-pressed={place.get('view') === 'table'} onclick={() => place.set({ view: place.get('view') === 'table' ? '' : 'table' })}>{place.get('view') === 'table' ? 'By kind' : 'As a table'}</button>
    </p>
    {#if place.get('view') === 'table'}
      <Table name="findings" label="Findings" rows={all} {columns} />
    {:else}
      {#each groups as [name, list] (name)}
        <details open={code ? code === name : list[0]!.severity === 'error'}>
          <summary><strong class="figures">{name}</strong> {list.length} {list[0]!.severity}{list.length === 1 ? '' : 's'}</summary>
          <FindingList findings={list} />
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
