<script lang="ts">
  /** Two people side by side. */
  import { api, type Compare, type Entitlement } from '../api/client';
  import { ask } from '../lib/ask';
  import { links, place } from '../lib/place.svelte';
  import type { Column } from '../lib/rows';
  import { situation } from '../lib/situation.svelte';
  import NameField from './NameField.svelte';
  import Notice from './Notice.svelte';
  import Table from './Table.svelte';

  let { user }: { user: string } = $props();

  const other = $derived(place.get('with'));
  let typed = $state(place.get('with'));
  let compared = $state.raw<Compare | null>(null);
  let wrong = $state('');

  $effect(() => {
    void situation.key;
    void place.get('trial');
    compared = null;
    if (!other) return;
    return ask(() => api.compare(user, other, situation.facts), (got) => ((compared = got), (wrong = '')), (error: Error) => (wrong = error.message));
  });

  interface Row {
    who: string;
    first: string;
    second: string;
    system: string;
    object: string;
    right: string;
  }
  const row = (who: string, a: Entitlement | null, b: Entitlement | null): Row => {
    const e = (a ?? b)!;
    return { who, first: a ? a.state + (a.breadth ? ` ${a.breadth}` : '') : '–', second: b ? b.state + (b.breadth ? ` ${b.breadth}` : '') : '–', system: e.system, object: e.object, right: e.right };
  };
  const rows = $derived(
    compared
      ? [
          ...(compared.only_first as Entitlement[]).map((e) => row('only the first', e, null)),
          ...(compared.only_second as Entitlement[]).map((e) => row('only the second', null, e)),
          ...compared.differ.map((p) => row('both, not alike', p.first as Entitlement, p.second as Entitlement)),
          ...(compared.both as Entitlement[]).map((e) => row('both', e, e)),
        ]
      : [],
  );
  const columns: Column<Row>[] = [
    { name: 'who', label: 'Who', text: (r) => r.who },
    { name: 'system', label: 'System', text: (r) => r.system, href: (r) => links.system(r.system), figures: true },
    { name: 'object', label: 'Object', text: (r) => r.object, figures: true },
    { name: 'right', label: 'Right', text: (r) => r.right, figures: true },
    { name: 'first', label: 'First', text: (r) => r.first },
    { name: 'second', label: 'Second', text: (r) => r.second },
  ];
</script>

<section aria-label="Compare">
  <form onsubmit={(e) => (e.preventDefault(), place.set({ with: typed.trim() }))}>
    <NameField label="Compare with" kind="user" bind:value={typed} hint="another person" onpick={(item) => place.set({ with: item.name })} />
    <button class="act">Compare</button>
  </form>
  {#if wrong}<Notice kind="wrong" title="No comparison">{wrong}</Notice>
  {:else if compared}
    <p>{compared.only_first.length} only {compared.first}, {compared.only_second.length} only <a href={links.person(compared.second)}>{compared.second}</a>, {compared.differ.length} not alike, {compared.both.length} both.</p>
    <Table name="compare" label="Compared" {rows} {columns} nothing="Neither holds anything." />
  {:else if other}<Notice kind="wait" title="Comparing …" />{/if}
</section>

<style>
  form {
    display: flex;
    gap: var(--s3);
    align-items: end;
    max-width: 36rem;
    margin-bottom: var(--s4);
  }
</style>
