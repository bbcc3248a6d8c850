<script lang="ts">
  import { api, type Chart, type Findings, type MapInfo } from '../api/client';
  import { ask, together } from '../lib/ask';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { rights } from '../lib/rights.svelte';
  import type { Column } from '../lib/rows';
  import FileEditor from '../parts/FileEditor.svelte';
  import Notice from '../parts/Notice.svelte';
  import Table from '../parts/Table.svelte';

  let { map }: { map: MapInfo } = $props();

  let chart = $state.raw<Chart | null>(null);
  let found = $state.raw<Findings | null>(null);
  let wrong = $state('');
  $effect(() => {
    void revision.changes;
    return together(
      ask(() => api.chart({}), (got) => (chart = got), (error) => (wrong = error.message)),
      ask(() => api.findings({ limit: 1 }), (got) => (found = got)),
    );
  });

  const example = 'system: new-system\ntype: roles\ntitle: What it is\nrights: ["thing:use"]\nresources: [{path: /}]\nroles: {user: {rights: ["thing:use"]}}\nmappings: []\n';

  type Row = Chart['systems'][number];
  const count = (system: string, what: 'errors' | 'warnings') => (found ? String(found.systems.find((s) => s.system === system)?.[what] ?? 0) : '…');
  const columns: Column<Row>[] = [
    { name: 'system', label: 'System', text: (s) => s.system, href: (s) => links.system(s.system), figures: true },
    { name: 'title', label: 'Title', text: (s) => s.title ?? '' },
    { name: 'type', label: 'Gate type', text: (s) => s.type },
    { name: 'behind', label: 'Behind', text: (s) => s.behind.join(', ') },
    { name: 'lines', label: 'Lines', text: (s) => String(s.lines), number: true },
    { name: 'people', label: 'People', text: (s) => String(s.people), number: true },
    { name: 'errors', label: 'Errors', text: (s) => count(s.system, 'errors'), number: true },
    { name: 'warnings', label: 'Warnings', text: (s) => count(s.system, 'warnings'), number: true },
  ];
</script>

<svelte:head><title>Systems · Gate Map</title></svelte:head>

<main class="page">
  <h1>Systems <small class="soft">{map.systems}</small></h1>
  {#if wrong}<Notice kind="wrong" title="No list">{wrong}</Notice>
  {:else if !chart}<Notice kind="wait" title="Fetching the list …" />
  {:else}<Table name="systems" label="Systems" rows={chart.systems} {columns} nothing="No system is on this map yet." />{/if}
  {#if rights.stage}
    {#if place.get('new')}<FileEditor {example} />
    {:else}<p><button class="act" onclick={() => place.set({ new: 'system' })}>Add a system</button></p>{/if}
  {/if}
</main>
