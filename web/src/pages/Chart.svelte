<script lang="ts">
  /** The start: the whole map, what changed lately, and what is wrong. */
  import { api, type Chart, type Findings, type Guaranteed, type MapInfo, type Revision, type Run } from '../api/client';
  import { ask, together } from '../lib/ask';
  import { asked, charted } from '../lib/charted';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { when } from '../lib/when';
  import Contours from '../parts/Contours.svelte';
  import ChartBar from '../parts/ChartBar.svelte';
  import MapChart from '../parts/MapChart.svelte';
  import Notice from '../parts/Notice.svelte';
  import PersonSearch from '../parts/PersonSearch.svelte';

  let { map }: { map: MapInfo } = $props();

  let chart = $state.raw<Chart | null>(null);
  let broken = $state<readonly Guaranteed[]>([]);
  let promised = $state(0);
  let found = $state.raw<Findings | null>(null);
  let latest = $state<readonly Revision[]>([]);
  let waiting = $state<readonly Run[]>([]);
  let wrong = $state('');
  const part = $derived(charted((key) => place.get(key), map));

  $effect(() => {
    void revision.changes;
    return together(
      ask(() => api.chart(asked(part)), (got) => ((chart = got), (wrong = '')), (error) => (wrong = error.message)),
      ask(() => api.guarantees(), (got) => ((broken = got.guarantees.filter((g) => g.state === 'broken')), (promised = got.guarantees.length))),
      ask(() => api.findings({ severity: 'error', limit: 6 }), (got) => (found = got)),
      ask(() => api.history(), (got) => (latest = got.revisions.slice(0, 5))),
      ask(() => api.runs(), (got) => (waiting = got.runs.filter((r) => r.state === 'waiting' || r.state === 'held'))),
    );
  });
</script>

<svelte:head><title>{map.title} · Gate Map</title></svelte:head>

<main>
  <div class="lead">
    <Contours />
    <h1>Whose way do you want to follow?</h1>
    <PersonSearch />
    <p>{map.users.toLocaleString('en')} people, {map.groups.toLocaleString('en')} groups and {map.systems} systems are on this map.</p>
  </div>
  <div class="page two">
    <div>
      <ChartBar {part} />
      {#if wrong}<Notice kind="wrong" title="No chart">{wrong}</Notice>
      {:else if !chart}<Notice kind="wait" title="Drawing the map …" />
      {:else if chart.systems.length === 0 && map.systems > 0}<Notice kind="empty" title="Nothing is opened here">No line leads from this to a system.</Notice>
      {:else if chart.systems.length === 0}<Notice kind="empty" title="The map is empty">Load a map: <code>gatemap serve --map FOLDER</code></Notice>
      {:else}<MapChart {chart} errors={new Map(found?.systems.map((s) => [s.system, s.errors]))} />{/if}
    </div>
    <div class="news">
      <section aria-labelledby="broken">
        <h2 id="broken"><a href={place.to('/guarantees')}>Broken guarantees</a> {broken.length}</h2>
        <ul>{#each broken.slice(0, 6) as g (g.guarantee)}<li><a href={place.to('/guarantees', { 'guarantees-find': g.guarantee })}>{g.guarantee}</a></li>{:else}<li class="soft">{promised ? `All ${promised} guarantees are kept.` : 'The map promises nothing yet.'}</li>{/each}</ul>
      </section>
      <section aria-labelledby="errors">
        <h2 id="errors"><a href={place.to('/findings')}>Errors</a> {found?.total ?? '…'}</h2>
        <ul>
          {#each found?.findings ?? [] as f, i (i)}
            <li><a href={f.where.system ? links.system(f.where.system, f.where.rule ? { line: `${f.where.system}/${f.where.rule}` } : {}) : place.to('/findings', { code: f.code })}>{f.message}</a></li>
          {:else}<li class="soft">{found ? 'None.' : 'Checking the map …'}</li>{/each}
        </ul>
      </section>
      {#if waiting.length}
        <section aria-labelledby="waiting">
          <h2 id="waiting"><a href={place.to('/intake')}>Waiting intakes</a> {waiting.length}</h2>
          <ul>{#each waiting as r (r.id)}<li><a href={place.to('/intake', { run: String(r.id) })}>{r.directory}, run {r.id}</a> {r.state}</li>{/each}</ul>
        </section>
      {/if}
      <section aria-labelledby="lately">
        <h2 id="lately"><a href={place.to('/history')}>Recent changes</a></h2>
        <ul>{#each latest as r (r.revision)}<li><a href={place.to('/history', { revision: String(r.revision) })}>{r.reason || `revision ${r.revision}`}</a> <span class="soft">{r.author}, {when(r.at)}</span></li>{:else}<li class="soft">Nothing yet.</li>{/each}</ul>
      </section>
    </div>
  </div>
</main>

<style>
  .lead {
    position: relative;
    z-index: 1;
    padding: var(--s6);
    border-bottom: 1px solid var(--hair);
  }
  .lead > :global(*) {
    max-width: 40rem;
  }
  .lead > :global(svg) {
    max-width: none;
  }
  h1 {
    font-size: var(--title);
    margin-bottom: var(--s3);
  }
  .lead p {
    margin-top: var(--s3);
    color: var(--ink-soft);
  }
  .two {
    grid-template-columns: minmax(0, 3fr) minmax(15rem, 1fr);
    align-items: start;
  }
  .news {
    display: grid;
    gap: var(--s6);
  }
  h2 {
    border-bottom: 2px solid var(--ink);
  }
  h2 a {
    color: inherit;
  }
  ul {
    list-style: none;
    padding: 0;
  }
  li {
    padding: var(--s1) 0;
    border-bottom: var(--line);
    overflow-wrap: anywhere;
  }
  @media (max-width: 60rem) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
