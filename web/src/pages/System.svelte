<script lang="ts">
  /** A system: its gate as its type wants it drawn, its lines, a probe, and who holds what. */
  import { api, Problem, type Drift, type Finding, type Line, type Linked, type MapInfo, type SystemInfo } from '../api/client';
  import { drawn, pictures } from '../gates/pictures';
  import { ask } from '../lib/ask';
  import { byList, givesWords, idle, isOff, listsOf, ruleOf, text, whenWords, whoWords, object } from '../lib/gates';
  import type { Lit } from '../lib/lit';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { rights } from '../lib/rights.svelte';
  import type { Column } from '../lib/rows';
  import { fateWords } from '../lib/words';
  import HolderPanel from '../parts/HolderPanel.svelte';
  import LineEditor from '../parts/LineEditor.svelte';
  import FileEditor from '../parts/FileEditor.svelte';
  import DriftSheet from '../parts/DriftSheet.svelte';
  import LinkSheet from '../parts/LinkSheet.svelte';
  import FindingList from '../parts/FindingList.svelte';
  import Notice from '../parts/Notice.svelte';
  import ProbePanel from '../parts/ProbePanel.svelte';
  import SituationBar from '../parts/SituationBar.svelte';
  import Table from '../parts/Table.svelte';

  let { map, name }: { map: MapInfo; name: string } = $props();

  let system = $state<SystemInfo | null>(null);
  let lines = $state<readonly Line[]>([]);
  let systems = $state<readonly string[]>([]);
  let findings = $state.raw<readonly Finding[]>([]);
  let missing = $state<Problem | null>(null);
  let linked = $state.raw<Linked | null>(null);
  let drift = $state.raw<Drift | null>(null);
  let read = $state(0);
  let lit = $state.raw<Lit | null>(null);

  $effect(() => {
    void revision.changes;
    void place.get('trial');
    return ask(
      () => Promise.all([api.system(name), api.lines(name)]),
      ([s, l]) => ((system = s), (lines = l.lines), (missing = null)),
      (error) => (missing = error as Problem),
    );
  });
  $effect(() => {
    void revision.changes;
    void place.get('trial');
    return ask(() => api.findings({ system: name, limit: 1000 }), (got) => (findings = got.findings));
  });
  // What the real system holds, of one that is linked.
  const isLinked = $derived(Boolean(system?.document?.link));
  $effect(() => {
    void revision.changes;
    void read;
    if (!isLinked) return void ([linked, drift] = [null, null]);
    const of = name; // the page may show another system by the time that the first answer is here
    return ask(
      () => Promise.all([api.linked().then((all) => all.systems.find((l) => l.system === of) ?? null), api.drift(of).catch(() => null)]),
      ([l, d]) => ([linked, drift] = [l, d?.drifts[0] ?? null]),
    );
  });
  $effect(() => {
    return ask(() => api.search('', 'system', '', 1000), (page) => (systems = page.items.map((s) => s.name)));
  });

  const chosen = $derived(place.get('line'));
  const line = $derived(lines.find((l) => l.line === chosen) ?? null);
  const adding = $derived(place.get('add'));
  const never = $derived(idle(findings));
  const href = (l: string) => links.system(name, { ...Object.fromEntries([...place.query].filter(([k]) => ['who', 'object', 'right'].includes(k))), line: l === chosen ? '' : l });
  const Drawing = $derived(system ? pictures[system.type] : undefined);
  const lists = $derived(system ? [...new Set([...lines.map((l) => l.list ?? '').filter(Boolean), ...(listsOf[system.type] ?? [])])] : []);
  const columns = $derived<Column<Line>[]>([
    { name: 'line', label: 'Line', text: (l) => ruleOf(l.line), href: (l) => href(l.line), figures: true },
    { name: 'who', label: 'Principals', text: (l) => whoWords(object(l.value?.permit ?? l.value?.refuse ?? l.value)) },
    { name: 'gives', label: 'Gives', text: (l) => givesWords(l.type, l) },
    { name: 'when', label: 'When', text: (l) => whenWords(l.value ?? {}) },
    { name: 'people', label: 'People', text: (l) => String(l.people), number: true },
    { name: 'place', label: 'Place', text: (l) => (l.file ? `${l.file}:${l.row}` : ''), figures: true },
    { name: 'note', label: lit ? 'Decision' : 'Note', text: (l) => (isOff(l) ? 'switched off' : lit ? fateWords(lit.get(l.line)?.fate ?? 'elsewhere') : never.has(ruleOf(l.line)) ? 'redundant or shadowed' : '') },
  ]);
</script>

<svelte:head><title>{name} · Gate Map</title></svelte:head>

{#if missing}
  <main class="page">
    <Notice kind="wrong" title={missing.status === 404 ? 'No system of that name' : missing.title}>
      {missing.message} {#each missing.near ?? [] as near (near)}<a href={links.system(near)}>{near}</a> {/each}
    </Notice>
  </main>
{:else if !system}
  <main class="page"><Notice kind="wait" title="Fetching the system …" /></main>
{:else}
  <header class="head">
    <h1>{system.system}</h1>
    <p>{system.title} <a class="chart" href={place.to('/', { system: system.system })}>On the chart</a></p>
    <p class="figures soft">{system.type}{system.directory ? ` · of ${system.directory}` : ''}{system.requires.length ? ` · requires ${system.requires.join(', ')}` : ''}{system.file ? ` · ${system.file}` : ''}</p>
    {#if system.document?.behind}<p class="figures soft">behind {JSON.stringify(system.document.behind).replaceAll(/[[\]{}"]/g, '').replaceAll(',', ', ')}</p>{/if}
  </header>
  <SituationBar {map} />
  <main class="page two">
    <div class="drawn">
      {#if Drawing}<Drawing {system} lines={drawn(system.type, lines)} {never} {lit} {chosen} {href} />{/if}
      <section aria-label="Lines">
        <h2>Lines</h2>
        <Table name="lines" label="Lines" rows={lines} {columns} struck={isOff} nothing="No lines yet." />
        {#if rights.stage}
          <p class="adds">Add to {#each lists as l (l)}<button class="act" onclick={() => place.set({ add: l, line: '' })}>{l}</button> {/each}</p>
        {/if}
      </section>
      {#if place.get('view') === 'file' && system.file}<FileEditor path={system.file} />{:else if system.file && rights.stage}<p><button class="act" onclick={() => place.set({ view: 'file' })}>Edit the file</button></p>{/if}
      {#if place.get('view') === 'who'}<HolderPanel {system} {systems} />{:else}<p><button class="act" onclick={() => place.set({ view: 'who' })}>Show who holds what</button></p>{/if}
      {#if linked}
        <section aria-label="What is really there">
          <h2>What is really there</h2>
          <LinkSheet {linked} onread={() => read++} />
          {#if drift}<DriftSheet {drift} />{/if}
        </section>
      {/if}
      {#if findings.length}
        <section aria-label="Findings"><h2>Findings</h2><FindingList {findings} /></section>
      {/if}
    </div>
    <div class="side">
      {#if adding}
        {#key adding}<LineEditor {system} line={null} list={adding} siblings={byList(lines).find(([l]) => l === adding)?.[1] ?? []} {map} {systems} onclose={() => place.set({ add: '' })} />{/key}
      {:else if line?.list}
        {#key line.line + text(line.number) + JSON.stringify(line.value)}<LineEditor {system} {line} list={line.list} siblings={lines.filter((l) => l.list === line.list)} {map} {systems} onclose={() => place.set({ line: '' })} />{/key}
      {/if}
      <ProbePanel {system} {systems} onlit={(l) => (lit = l)} />
    </div>
  </main>
{/if}

<style>
  .head {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 0 var(--s4);
    padding: var(--s4) var(--edge) var(--s3);
    overflow-wrap: anywhere;
  }
  h1 {
    font-size: var(--title);
  }
  .two {
    grid-template-columns: minmax(0, 7fr) minmax(0, 4fr);
    align-items: start;
    padding-top: var(--s4);
  }
  .drawn,
  .side {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: var(--s6);
  }
  .adds {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2);
    align-items: center;
  }
  @media (max-width: 60rem) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
