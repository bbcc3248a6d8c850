<script lang="ts">
  import { onMount } from 'svelte';
  import { api, Problem, whenSignedOut, type MapInfo, type Session } from './api/client';
  import { light } from './lib/light.svelte';
  import { place } from './lib/place.svelte';
  import { revision } from './lib/revision.svelte';
  import Home from './pages/Home.svelte';
  import OwnGroups from './pages/OwnGroups.svelte';
  import Person from './pages/Person.svelte';
  import SignIn from './pages/SignIn.svelte';
  import Trial from './pages/Trial.svelte';
  import Trials from './pages/Trials.svelte';
  import Banner from './parts/Banner.svelte';
  import Notice from './parts/Notice.svelte';

  let map = $state<MapInfo | null>(null);
  let titles = $state<ReadonlyMap<string, string>>(new Map());
  let signedIn = $state<boolean | null>(null); // null: not known yet
  let session = $state<Session | null>(null);
  let expired = $state(false);
  let wrong = $state('');

  $effect(() => {
    document.documentElement.dataset.light = light.now;
  });

  // While someone is signed in, what is shown follows the revision in force.
  $effect(() => {
    if (!signedIn || !asks) return revision.leave();
    revision.watch();
    if (map && revision.now > map.revision) api.map().then((now) => (map = now), () => {});
  });

  async function enter() {
    try {
      session = await api.session();
      if (!session.signed_in) {
        signedIn = false;
        return;
      }
      if (!session.rights.includes('read')) {
        signedIn = true;
        return;
      }
      map = await api.map();
      revision.begin(map.revision);
      titles = new Map((await api.search('', 'system', '', 200)).items.map((s) => [s.name, s.title ?? '']));
      signedIn = true;
      expired = false;
      wrong = '';
    } catch (error) {
      if (error instanceof Problem && error.status === 401) signedIn = false;
      else wrong = (error as Error).message;
    }
  }

  async function leave() {
    await api.signOut().catch(() => {});
    signedIn = false;
    map = null;
  }

  onMount(async () => {
    whenSignedOut(() => {
      if (signedIn) expired = true;
      signedIn = false;
    });
    // A link can carry a token in its fragment, which no server sees.
    const token = new URLSearchParams(location.hash.slice(1)).get('token');
    if (token) {
      history.replaceState(null, '', location.pathname + location.search);
      await api.signIn({ token }).catch(() => {});
    }
    await enter();
  });

  const asks = $derived(session?.rights.includes('read') ?? false);
  const trial = $derived(/^\/trials\/([^/]+)$/.exec(place.path));
  const person = $derived(/^\/people\/([^/]+)\/(.+)$/.exec(place.path));
  const name = $derived(person ? `${decodeURIComponent(person[1]!)}/${decodeURIComponent(person[2]!)}` : '');
</script>

{#if signedIn === false}
  <SignIn {expired} provider={session?.provider ?? false} onSignedIn={enter} />
{:else if wrong}
  <main class="alone"><Notice kind="wrong" title="Gate Map does not answer">{wrong} <button onclick={enter}>Try again</button></Notice></main>
{:else if signedIn && session && !asks}
  <Banner map={null} {session} search={false} onSignOut={leave} />
  <OwnGroups />
{:else if map && session}
  <Banner {map} {session} search={name !== ''} onSignOut={leave} />
  {#if name}
    <Person {name} {map} {titles} />
  {:else if trial}
    <Trial name={decodeURIComponent(trial[1]!)} rights={session.rights} />
  {:else if place.path === '/trials'}
    <Trials rights={session.rights} />
  {:else if place.path === '/'}
    <Home {map} />
  {:else}
    <main class="alone"><Notice kind="empty" title="There is no such page">Go back to the <a href="/">start</a>.</Notice></main>
  {/if}
{/if}

<style>
  .alone {
    padding: var(--s8);
  }
</style>
