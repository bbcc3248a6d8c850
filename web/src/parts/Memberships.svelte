<script lang="ts">
  /** The memberships of a person. */
  import type { Memberships } from '../api/client';
  import { links } from '../lib/place.svelte';
  import type { Column } from '../lib/rows';
  import Table from './Table.svelte';

  let { groups }: { groups: Memberships } = $props();

  type Row = Memberships['groups'][number];
  const ways: Record<string, string> = { direct: 'direct', primary: 'primary group', rule: 'by rule', nested: 'nested' };
  const bare = (full: string) => full.slice(full.indexOf('/') + 1);
  const columns: Column<Row>[] = [
    { name: 'group', label: 'Group', text: (g) => g.group, href: (g) => links.group(g.group), figures: true },
    { name: 'how', label: 'How', text: (g) => ways[g.how] ?? g.how },
    { name: 'through', label: 'Through', text: (g) => g.path.slice(0, -1).map(bare).join(' › '), figures: true },
  ];
</script>

<section aria-label="Groups">
  <h2>Groups</h2>
  <Table name="groups" label="Groups" rows={groups.groups} {columns} nothing="In no group." />
</section>

<style>
  h2 {
    font-size: var(--large);
  }
</style>
