<script lang="ts">
  import { onMount } from 'svelte';
  import { api, signedInAgain, whenSignedOut, type MapInfo, type SignedIn } from './api/client';
  import { light } from './lib/light.svelte';
  import { pageAt } from './lib/pages';
  import { follow, place } from './lib/place.svelte';
  import { revision } from './lib/revision.svelte';
  import { rights } from './lib/rights.svelte';
  import { takeWords } from './lib/words';
  import OwnGroups from './pages/OwnGroups.svelte';
  import SignIn from './pages/SignIn.svelte';
  import Banner from './parts/Banner.svelte';
  import Notice from './parts/Notice.svelte';
  import Palette from './parts/Palette.svelte';
  import TrialStrip from './parts/TrialStrip.svelte';

  let map = $state<MapInfo | null>(null);
  let signedIn = $state<boolean | null>(null); // null: not known yet
  let session = $state<SignedIn | null>(null);
  let expired = $state(false);
  let wrong = $state('');
  let finding = $state(false);

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
      rights.take(session.rights);
      if (session.rights.includes('read')) {
        [map] = await Promise.all([api.map(), api.words().then(takeWords)]);
        revision.begin(map.revision);
      }
      signedIn = true;
      expired = false;
      wrong = '';
      signedInAgain();
    } catch (error) {
      wrong = (error as Error).message;
    }
  }

  async function leave() {
    await api.signOut().catch(() => {});
    signedIn = false;
    map = null;
    await enter();
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

  function key(event: KeyboardEvent) {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k' && map) {
      event.preventDefault();
      finding = !finding;
    }
  }

  const asks = $derived(session?.rights.includes('read') ?? false);
  const found = $derived(pageAt(place.path));
</script>

<!-- Who signed in in another tab comes back to what they left. -->
<svelte:window onkeydown={key} onfocus={() => expired && enter()} />
<svelte:document onclick={follow} />

{#if signedIn === false && !(expired && session)}
  <SignIn expired={false} provider={session?.provider ?? false} onSignedIn={enter} />
{:else if wrong}
  <main class="page"><Notice kind="wrong" title="Gate Map does not answer">{wrong} <button class="act" onclick={enter}>Try again</button></Notice></main>
{:else if session && !asks && signedIn}
  <Banner map={null} {session} onfind={() => {}} onSignOut={leave} />
  <OwnGroups />
{:else if map && session}
  <!-- A session that ends leaves the page as it is, so that nothing is lost. -->
  <div inert={signedIn === false}>
    <a class="skip" href="#content">To the content</a>
    <Banner {map} {session} onfind={() => (finding = true)} onSignOut={leave} />
    <TrialStrip />
    <div id="content" tabindex="-1">
      {#if found}
        {#key place.path}
          {#await found.page.load()}
            <main class="page"><Notice kind="wait" title="Fetching the page …" /></main>
          {:then loaded}
            {@const Shown = loaded.default}
            <Shown {map} name={found.name} />
          {:catch}
            <main class="page"><Notice kind="wrong" title="The page cannot be fetched">The service may have been upgraded: reload the console.</Notice></main>
          {/await}
        {/key}
      {:else}
        <main class="page"><Notice kind="empty" title="There is no such page">Go back to the <a href="/">chart</a>.</Notice></main>
      {/if}
    </div>
  </div>
  {#if finding}<Palette onclose={() => (finding = false)} />{/if}
  {#if signedIn === false}
    <div class="over"><SignIn expired provider={session.provider} onSignedIn={enter} /></div>
  {/if}
{/if}

<style>
  .skip {
    position: absolute;
    left: -999px;
    padding: var(--s2) var(--s4);
    background: var(--sheet);
  }
  .skip:focus {
    left: var(--s2);
    top: var(--s2);
    z-index: 30;
  }
  #content:focus {
    outline: 0;
  }
  .over {
    position: fixed;
    inset: 0;
    z-index: 40;
    overflow: auto;
    background: color-mix(in srgb, var(--paper) 80%, transparent);
  }
</style>
