<script lang="ts">
  import { api, Problem, type Groups, type MapInfo, type Reach, type User } from '../api/client';
  import { keyOf } from '../lib/entry';
  import { follow, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { situation } from '../lib/situation.svelte';
  import EntitlementList from '../parts/EntitlementList.svelte';
  import Memberships from '../parts/Memberships.svelte';
  import Notice from '../parts/Notice.svelte';
  import PersonHead from '../parts/PersonHead.svelte';
  import RouteSheet from '../parts/RouteSheet.svelte';
  import SituationBar from '../parts/SituationBar.svelte';

  let { name, map, titles }: { name: string; map: MapInfo; titles: ReadonlyMap<string, string> } = $props();

  let user = $state<User | null>(null);
  let groups = $state<Groups | null>(null);
  let reach = $state<Reach | null>(null);
  let missing = $state<Problem | null>(null);
  let wrong = $state('');

  let shown = '';
  $effect(() => {
    const asked = name;
    if (asked !== shown) user = groups = reach = missing = null;
    shown = asked;
    void revision.now; // another revision may say otherwise
    Promise.all([api.user(asked), api.groups(asked)]).then(
      ([u, g]) => asked === name && ((user = u), (groups = g), (missing = null)),
      (error) => asked === name && (missing = error),
    );
  });

  $effect(() => {
    const stop = new AbortController();
    void revision.now;
    api.reach(name, situation.facts, stop.signal).then(
      (got) => ((reach = got), (wrong = '')),
      (error) => !stop.signal.aborted && (wrong = error.message),
    );
    return () => stop.abort();
  });

  const chosen = $derived(place.get('line'));
  const entry = $derived(reach?.entitlements.find((e) => keyOf(e) === chosen) ?? reach?.entitlements[0]);
  const person = $derived(user?.display_name || name.slice(name.indexOf('/') + 1));
</script>

<svelte:head><title>{person} · Gate Map</title></svelte:head>

{#if missing}
  <main class="alone">
    <Notice kind="wrong" title={missing.status === 404 ? 'Nobody of that name' : missing.title}>
      {missing.message}
      {#each missing.near as near (near)}
        <a href="/people/{near.includes('/') ? near : name.split('/')[0] + '/' + near}" onclick={follow}>{near}</a>{' '}
      {/each}
    </Notice>
  </main>
{:else}
  {#if user}<PersonHead {user} />{:else}<div class="alone"><Notice kind="wait" title="Fetching …" /></div>{/if}
  <SituationBar {map} />
  <main>
    <div class="held">
      {#if wrong}<Notice kind="wrong" title="No answer">{wrong}</Notice>{/if}
      {#if reach}
        <div class:stale={wrong !== ''}>
          <EntitlementList
            list={reach.entitlements}
            {titles}
            chosen={entry ? keyOf(entry) : ''}
            onchoose={(e) => place.set({ line: keyOf(e) })}
          />
        </div>
      {:else if !wrong}
        <Notice kind="wait" title="Working it out …" />
      {/if}
      {#if groups}<Memberships {groups} />{/if}
    </div>
    <aside>
      {#if entry && user}<RouteSheet user={name} {person} {entry} />{/if}
    </aside>
  </main>
{/if}

<style>
  main {
    display: grid;
    grid-template-columns: minmax(0, 6fr) minmax(0, 5fr);
    gap: var(--s8);
    padding: var(--s4) var(--s6) var(--s12);
    align-items: start;
  }
  .alone {
    display: block;
    padding: var(--s6);
  }
  aside {
    position: sticky;
    top: 10rem; /* below the situation bar */
  }
  .stale {
    opacity: 0.5;
  }
  @media (max-width: 60rem) {
    main {
      grid-template-columns: minmax(0, 1fr);
      padding: var(--s4);
    }
    aside {
      grid-row: 1;
      position: static;
    }
  }
</style>
