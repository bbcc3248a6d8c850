<script lang="ts">
  import type { Change, Item, MapInfo } from '../api/client';
  import { links, place } from '../lib/place.svelte';
  import { rights } from '../lib/rights.svelte';
  import type { Column } from '../lib/rows';
  import NameList from '../parts/NameList.svelte';
  import Stager from '../parts/Stager.svelte';

  let { map }: { map: MapInfo } = $props();

  const columns: Column<Item>[] = [
    { name: 'name', label: 'Group', text: (i) => i.name, href: (i) => links.group(i.name), figures: true },
    { name: 'title', label: 'Description', text: (i) => i.title ?? '' },
    { name: 'detail', label: 'Kind', text: (i) => i.detail ?? '' },
  ];
  let name = $state('');
  let description = $state('');
  const change = $derived<Change | null>(/^[^/]+\/.+$/.test(name.trim()) ? ({ do: 'create-group', group: name.trim(), ...(description.trim() ? { value: { description: description.trim() } } : {}) } as Change) : null);
</script>

<svelte:head><title>Groups · Gate Map</title></svelte:head>

<main class="page">
  <h1>Groups <small class="soft">{map.groups.toLocaleString('en')}</small></h1>
  <NameList kind="group" label="Groups" {columns} />
  {#if rights.stage}
    {#if place.get('new')}
      <section class="sheet controls" aria-label="New group">
        <h2>New group</h2>
        <label>Name, with its directory <input bind:value={name} placeholder="cindervale/comet-watch" /></label>
        <label>Description <input bind:value={description} /></label>
        <Stager {change} />
      </section>
    {:else}
      <p><button class="act" onclick={() => place.set({ new: 'group' })}>Create a group</button></p>
    {/if}
  {/if}
</main>

<style>
  label {
    display: grid;
    max-width: 30rem;
    margin-bottom: var(--s3);
    font-weight: 700;
  }
</style>
