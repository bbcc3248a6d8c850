<script lang="ts">
  /** The line at the top of every page. */
  import type { MapInfo, Session } from '../api/client';
  import { light } from '../lib/light.svelte';
  import { follow } from '../lib/place.svelte';
  import PersonSearch from './PersonSearch.svelte';

  let { map, session, search, onSignOut }: { map: MapInfo | null; session: Session; search: boolean; onSignOut: () => void } = $props();
</script>

<header>
  <a href="/" onclick={follow} class="mark">
    <svg width="30" height="24" viewBox="0 0 30 24" aria-hidden="true">
      <path class="route" d="M0 12h6M24 12h6" />
      <path class="gate" d="M8 3v18M22 3v18M8 12h3.5M18.5 12H22" />
    </svg>
    <span>Gate Map</span>
  </a>
  {#if map}
    <p>{map.title} <span class="figures">revision {map.revision}</span></p>
    <nav aria-label="Main"><a href="/" onclick={follow}>People</a> <a href="/trials" onclick={follow}>Trials</a></nav>
  {/if}
  {#if search}<div class="search"><PersonSearch compact /></div>{/if}
  <div class="acts">
    <span title={session.role}>{session.name}</span>
    <button onclick={() => light.turn()}>{light.now === 'dark' ? 'Day' : 'Night'} colours</button>
    <button onclick={onSignOut}>Sign out</button>
  </div>
</header>

<style>
  header {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s2) var(--s6);
    padding: var(--s2) var(--s6);
    border-bottom: 2px solid var(--ink);
    background: var(--sheet);
  }
  .mark {
    display: inline-flex;
    align-items: center;
    gap: var(--s2);
    font-weight: 700;
    font-size: 1.25rem;
    color: var(--ink);
    text-decoration: none;
  }
  svg path {
    fill: none;
    stroke-linecap: round;
  }
  .gate {
    stroke: var(--ink);
    stroke-width: 2.6;
  }
  .route {
    stroke: var(--open);
    stroke-width: 2.6;
  }
  p {
    color: var(--ink-soft);
  }
  nav {
    display: flex;
    gap: var(--s4);
  }
  .search {
    flex: 1 1 16rem;
    max-width: 26rem;
  }
  .acts {
    margin-left: auto;
    display: flex;
    align-items: baseline;
    gap: var(--s4);
  }
  button {
    border: 0;
    background: none;
    padding: var(--s1) 0;
    color: var(--water);
    text-decoration: underline;
    text-underline-offset: 3px;
    cursor: pointer;
  }
</style>
