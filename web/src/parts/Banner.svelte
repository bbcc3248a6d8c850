<script lang="ts">
  /** The line at the top of every page. */
  import type { MapInfo, SignedIn } from '../api/client';
  import { light } from '../lib/light.svelte';
  import { groups, led } from '../lib/pages';
  import { place } from '../lib/place.svelte';
  import { rights } from '../lib/rights.svelte';

  let { map, session, onfind, onSignOut }: { map: MapInfo | null; session: SignedIn; onfind: () => void; onSignOut: () => void } = $props();

  const pages = $derived(led((right) => rights.has(right)));
  const id = $props.id();
  let open = $state(false); // on a phone, where it folds away
  const here = (path: string) => (path === '/' ? place.path === '/' : place.path === path || place.path.startsWith(`${path}/`));
  const now = $derived(pages.find((p) => here(p.path)));
</script>

<header class="no-print">
  <a href={place.to('/')} class="mark">
    <svg width="30" height="24" viewBox="0 0 30 24" aria-hidden="true">
      <path class="route" d="M0 12h6M24 12h6" />
      <path class="gate" d="M8 3v18M22 3v18M8 12h3.5M18.5 12H22" />
    </svg>
    <span>Gate Map</span>
  </a>
  {#if map}
    <p>{map.title} <span class="figures">revision {map.revision}</span></p>
    <button class="find" onclick={onfind} aria-keyshortcuts="Control+K">Find anything <kbd>Ctrl K</kbd></button>
  {/if}
  <div class="acts">
    {#if map}<a href={place.to('/account')} title="{session.role}: your password and tokens">{session.name}</a>{:else}<span title={session.role}>{session.name}</span>{/if}
    <button onclick={() => light.turn()}>{light.now === 'dark' ? 'Light' : 'Dark'} colours</button>
    <button onclick={onSignOut}>Sign out</button>
  </div>
  {#if map}
    <button class="fold" aria-expanded={open} aria-controls="{id}-nav" onclick={() => (open = !open)}>{open ? 'Close the menu' : `Menu${now ? `: ${now.label}` : ''}`}</button>
    <nav id="{id}-nav" aria-label="Main" class:open>
      {#each groups as group (group)}
        {@const some = pages.filter((p) => p.group === group)}
        {#if some.length}
          <div role="group" aria-label={group}>
            <span class="soft" aria-hidden="true">{group}</span>
            {#each some as p (p.path)}<a href={place.to(p.path)} aria-current={here(p.path) ? 'page' : undefined} onclick={() => (open = false)}>{p.label}</a>{/each}
          </div>
        {/if}
      {/each}
    </nav>
  {/if}
</header>

<style>
  header {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 0 var(--s6);
    padding: var(--s2) var(--s6) 0;
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
  .find {
    flex: 0 1 18rem;
    min-height: 1.9rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--paper);
    color: var(--ink-soft);
    text-align: left;
    cursor: pointer;
    display: flex;
    justify-content: space-between;
    align-items: center;
  }
  kbd {
    font: 400 0.75rem var(--figures);
  }
  nav {
    flex-basis: 100%;
    display: flex;
    flex-wrap: wrap;
    gap: 0 var(--s8);
    padding-top: var(--s1);
  }
  nav div {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 0 var(--s3);
  }
  nav span {
    font-size: 0.75rem;
    letter-spacing: 0.04em;
  }
  .fold {
    display: none;
  }
  nav a {
    padding: 3px 0 5px;
    color: var(--ink);
    text-decoration: none;
  }
  nav a:hover {
    text-decoration: underline;
    text-underline-offset: 4px;
  }
  nav a[aria-current] {
    font-weight: 700;
    box-shadow: inset 0 -4px 0 var(--water);
  }
  .acts {
    margin-left: auto;
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 0 var(--s4);
  }
  .acts button {
    border: 0;
    background: none;
    padding: var(--s1) 0;
    color: var(--water);
    text-decoration: underline;
    text-underline-offset: 3px;
    cursor: pointer;
  }
  @media (max-width: 40rem) {
    header {
      padding: var(--s2) var(--s4) 0;
    }
    .find {
      flex: 1 1 100%;
    }
    header > p {
      display: none;
    }
    .fold {
      display: block;
      flex: 1 1 100%;
      min-height: 2.2rem;
      border: 0;
      background: none;
      color: var(--water);
      font: inherit;
      text-align: left;
      cursor: pointer;
    }
    nav:not(.open) {
      display: none;
    }
    nav {
      flex-direction: column;
    }
  }
</style>
