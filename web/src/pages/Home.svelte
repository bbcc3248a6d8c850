<script lang="ts">
  import { api, type MapInfo, type Page } from '../api/client';
  import { follow, place } from '../lib/place.svelte';
  import Contours from '../parts/Contours.svelte';
  import Notice from '../parts/Notice.svelte';
  import PersonSearch from '../parts/PersonSearch.svelte';

  let { map }: { map: MapInfo } = $props();

  let page = $state<Page | null>(null);
  let wrong = $state('');
  let before = $state<string[]>([]);
  const cursor = $derived(place.get('page'));

  $effect(() => {
    api.search('', 'user', cursor, 24).then(
      (got) => ((page = got), (wrong = '')),
      (error) => (wrong = error.message),
    );
  });

  function next() {
    before.push(cursor);
    place.set({ page: page?.cursor ?? '' });
  }
</script>

<svelte:head><title>{map.title} · Gate Map</title></svelte:head>

<main>
  <div class="lead">
    <Contours />
    <h1>Whose way do you want to follow?</h1>
    <PersonSearch />
    <p>
      {map.users} people, {map.groups} groups and {map.systems} systems are on this map.
      {#if map.errors}
        <strong>{map.errors} {map.errors === 1 ? 'error' : 'errors'}</strong> in it: <code class="figures">gatemap findings</code> tells them.
      {/if}
    </p>
  </div>
  <section aria-label="Everyone on the map">
    {#if wrong}
      <Notice kind="wrong" title="No list">{wrong}</Notice>
    {:else if !page}
      <Notice kind="wait" title="Fetching the list …" />
    {:else if page.items.length === 0}
      <Notice kind="empty" title="Nobody is on this map yet">Bring a map in: gatemap serve --map FOLDER</Notice>
    {:else}
      <h2>Everyone</h2>
      <ul>
        {#each page.items as item (item.name)}
          <li class:off={!item.active}>
            <a href="/people/{item.name}" onclick={follow} dir="auto">{item.title || item.name}</a>
            <span>{item.detail}{item.active ? '' : ' · switched off'}</span>
          </li>
        {/each}
      </ul>
      <nav aria-label="Pages">
        <button disabled={before.length === 0} onclick={() => place.set({ page: before.pop() ?? '' })}>Back</button>
        <span class="figures">{before.length * 24 + 1}–{before.length * 24 + page.items.length} of {page.total}</span>
        <button disabled={!page.cursor} onclick={next}>On</button>
      </nav>
    {/if}
  </section>
</main>

<style>
  .lead {
    position: relative;
    z-index: 0;
    overflow: hidden;
    padding: var(--s12) var(--s6) var(--s8);
    border-bottom: 1px solid var(--hair);
  }
  .lead > :global(*) {
    max-width: 40rem;
  }
  .lead > :global(svg) {
    max-width: none;
  }
  .lead:has(:global([role='listbox'])) {
    overflow: visible;
  }
  h1 {
    font-size: var(--title);
    margin-bottom: var(--s4);
  }
  p {
    margin-top: var(--s4);
    color: var(--ink-soft);
  }
  p strong {
    color: var(--shut);
  }
  section {
    padding: var(--s6);
  }
  h2 {
    font-size: var(--large);
    margin-bottom: var(--s3);
  }
  ul {
    list-style: none;
    columns: 18rem;
    column-gap: var(--s8);
  }
  li {
    break-inside: avoid;
    padding: var(--s1) 0;
    border-bottom: 1px solid var(--hair);
  }
  li span {
    display: block;
    font-size: var(--small);
    color: var(--ink-soft);
  }
  .off a {
    text-decoration: line-through;
  }
  nav {
    display: flex;
    align-items: center;
    gap: var(--s4);
    margin-top: var(--s4);
  }
  button {
    min-height: 1.9rem;
    padding: 0 var(--s4);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: none;
    cursor: pointer;
  }
  button:disabled {
    border-color: var(--hair);
    color: var(--none);
    cursor: default;
  }
</style>
