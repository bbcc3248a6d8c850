<script lang="ts">
  import type { Item, MapInfo } from '../api/client';
  import { links } from '../lib/place.svelte';
  import type { Column } from '../lib/rows';
  import NameList from '../parts/NameList.svelte';

  let { map }: { map: MapInfo } = $props();

  const columns: Column<Item>[] = [
    { name: 'title', label: 'Name', text: (i) => i.title || i.name, href: (i) => links.person(i.name) },
    { name: 'name', label: 'Account', text: (i) => i.name, figures: true },
    { name: 'detail', label: 'Title, department', text: (i) => i.detail ?? '' },
    { name: 'active', label: 'Status', text: (i) => (i.active ? 'active' : 'inactive') },
  ];
</script>

<svelte:head><title>People · Gate Map</title></svelte:head>

<main class="page">
  <h1>People <small class="soft">{map.users.toLocaleString('en')}</small></h1>
  <NameList kind="user" label="People" {columns} />
</main>
