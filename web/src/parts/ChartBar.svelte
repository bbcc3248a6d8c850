<script lang="ts">
  /** How the chart sums up, and what of the map was entered. */
  import type { Charted } from '../lib/charted';
  import { links, place } from '../lib/place.svelte';

  let { part }: { part: Charted } = $props();

  const sides = [['group', 'groups'], ['department', 'departments'], ['directory', 'directories']] as const;
  const entered = $derived(part.system || part.group || part.user);
  const page = $derived(part.system ? links.system(part.system) : part.group ? links.group(part.group) : links.person(part.user));
</script>

{#if entered}
  <p class="bar">Around <a href={page}>{entered}</a> <a class="whole" href={place.to('/')}>The whole map</a></p>
{:else}
  <div class="bar">
    <span role="group" aria-label="People by">
      {#each sides as [by, label] (by)}<button aria-pressed={part.by === by} onclick={() => place.set({ by })}>{label}</button>{/each}
    </span>
    {#if part.type}
      <span>systems of the type {part.type}</span> <a class="whole" href={place.to('/', { by: part.by })}>All types</a>
    {:else}
      <span role="group" aria-label="Systems">
        <button aria-pressed={!part.types} onclick={() => place.set({ types: 'false' })}>systems</button>
        <button aria-pressed={part.types} onclick={() => place.set(part.by === 'group' ? { types: 'true', by: 'department' } : { types: 'true' })}>types</button>
      </span>
    {/if}
  </div>
{/if}

<style>
  .bar {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2) var(--s4);
    align-items: baseline;
    margin-bottom: var(--s3);
  }
  .whole {
    margin-left: auto;
  }
  button {
    padding: var(--s1) var(--s2);
    background: none;
    border: 0;
    border-bottom: 2px solid transparent;
    color: inherit;
    cursor: pointer;
  }
  button[aria-pressed='true'] {
    border-color: var(--ink);
    font-weight: 600;
  }
</style>
