<script lang="ts">
  import { api, Problem, type Memberships as Held, type MapInfo, type Reach, type User } from '../api/client';
  import { ask } from '../lib/ask';
  import { keyOf } from '../lib/entry';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { situation } from '../lib/situation.svelte';
  import ComparePanel from '../parts/ComparePanel.svelte';
  import EntitlementList from '../parts/EntitlementList.svelte';
  import Memberships from '../parts/Memberships.svelte';
  import Notice from '../parts/Notice.svelte';
  import PersonHead from '../parts/PersonHead.svelte';
  import RouteSheet from '../parts/RouteSheet.svelte';
  import SheetHead from '../parts/SheetHead.svelte';
  import SituationBar from '../parts/SituationBar.svelte';
  import WeekPicture from '../parts/WeekPicture.svelte';
  import WhatIf from '../parts/WhatIf.svelte';

  let { name, map }: { name: string; map: MapInfo } = $props();

  const views = [
    { view: '', label: 'Holds' },
    { view: 'week', label: 'Week' },
    { view: 'groups', label: 'Groups' },
    { view: 'compare', label: 'Compare' },
    { view: 'what-if', label: 'What if' },
  ];

  let user = $state<User | null>(null);
  let groups = $state<Held | null>(null);
  let reach = $state.raw<Reach | null>(null);
  let titles = $state<ReadonlyMap<string, string>>(new Map());
  let missing = $state<Problem | null>(null);
  let wrong = $state('');

  $effect(() => {
    void revision.changes;
    void place.get('trial');
    return ask(
      () => Promise.all([api.user(name), api.memberships(name)]),
      ([u, g]) => ((user = u), (groups = g), (missing = null)),
      (error) => (missing = error as Problem),
    );
  });
  $effect(() => {
    return ask(() => api.search('', 'system', '', 200), (page) => (titles = new Map(page.items.map((s) => [s.name, s.title ?? '']))));
  });
  $effect(() => {
    void revision.changes;
    void place.get('trial');
    return ask((stop) => api.reach(name, situation.facts, stop), (got) => ((reach = got), (wrong = '')), (error) => (wrong = error.message));
  });

  const view = $derived(place.get('view'));
  const chosen = $derived(place.get('line'));
  const entry = $derived(reach?.entitlements.find((e) => keyOf(e) === chosen) ?? reach?.entitlements[0]);
  const person = $derived(user?.display_name || name.slice(name.indexOf('/') + 1));
</script>

<svelte:head><title>{person} · Gate Map</title></svelte:head>

{#if missing}
  <main class="page">
    <Notice kind="wrong" title={missing.status === 404 ? 'Nobody of that name' : missing.title}>
      {missing.message}
      {#each missing.near ?? [] as near (near)}
        <a href={links.person(near.includes('/') ? near : name.split('/')[0] + '/' + near)}>{near}</a> 
      {/each}
    </Notice>
  </main>
{:else}
  <SheetHead {map} />
  {#if user}<PersonHead {user} others={reach?.others ?? []} />{:else}<div class="alone"><Notice kind="wait" title="Fetching …" /></div>{/if}
  <SituationBar {map} />
  <nav class="views no-print" aria-label="Of this person">
    {#each views as v (v.view)}<a href={links.person(name, { view: v.view })} aria-current={view === v.view ? 'page' : undefined}>{v.label}</a>{/each}
    <a href={place.to(`/as/${name}`)}>See as this person</a>
    <button onclick={() => print()}>Print</button>
  </nav>
  <main class:split={view === ''}>
    {#if view === 'week'}<WeekPicture user={name} />
    {:else if view === 'groups'}{#if groups}<Memberships {groups} />{/if}
    {:else if view === 'compare'}<ComparePanel user={name} />
    {:else if view === 'what-if'}{#if user}<WhatIf {user} />{/if}
    {:else}
      <div class="held">
        {#if wrong}<Notice kind="wrong" title="No answer">{wrong}</Notice>{/if}
        {#if reach}
          <div class:stale={wrong !== ''}>
            <EntitlementList list={reach.entitlements} {titles} chosen={entry ? keyOf(entry) : ''} onchoose={(e) => place.set({ line: keyOf(e) })} />
          </div>
        {:else if !wrong}
          <Notice kind="wait" title="Working it out …" />
        {/if}
        {#if groups}<div class="printed"><Memberships {groups} /></div>{/if}
      </div>
      <aside>
        {#if entry && user}<RouteSheet user={name} {person} {entry} />{/if}
      </aside>
    {/if}
  </main>
{/if}

<style>
  main {
    padding: var(--s4) var(--s6) var(--s12);
  }
  .split {
    display: grid;
    grid-template-columns: minmax(0, 6fr) minmax(0, 5fr);
    gap: var(--s8);
    align-items: start;
  }
  .alone {
    padding: var(--s6);
  }
  .views {
    display: flex;
    flex-wrap: wrap;
    gap: 0 var(--s6);
    padding: var(--s2) var(--edge) 0;
    border-bottom: 1px solid var(--hair);
  }
  .views a {
    padding: 2px 0 5px;
    color: var(--ink);
    text-decoration: none;
  }
  .views a:hover {
    text-decoration: underline;
    text-underline-offset: 4px;
  }
  .views a[aria-current] {
    font-weight: 700;
    box-shadow: inset 0 -4px 0 var(--water);
  }
  .views button {
    margin-left: auto;
    border: 0;
    background: none;
    color: var(--water);
    text-decoration: underline;
    text-underline-offset: 3px;
    cursor: pointer;
  }
  aside {
    position: sticky;
    top: 10rem; /* below the situation bar */
  }
  .stale {
    opacity: 0.5;
  }
  .printed {
    display: none;
  }
  @media (max-width: 60rem) {
    main {
      padding: var(--s4);
    }
    .split {
      grid-template-columns: minmax(0, 1fr);
    }
    aside {
      grid-row: 1;
      position: static;
    }
  }
  @media print {
    .printed {
      display: block;
    }
    .split {
      display: block;
      padding: 0;
    }
    aside {
      position: static;
      break-inside: avoid;
    }
  }
</style>
