<script lang="ts">
  /** All people, groups or systems: as a table where they are few, else page by page,
   * as the service finds them. */
  import { untrack } from 'svelte';
  import { api, type Item, type Kind, type Page } from '../api/client';
  import { askLater } from '../lib/ask';
  import { place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { csv, type Column } from '../lib/rows';
  import { save } from '../lib/save';
  import Notice from './Notice.svelte';
  import Table from './Table.svelte';

  let { kind, label, columns }: { kind: Kind; label: string; columns: readonly Column<Item>[] } = $props();

  const few = 1000;
  let page = $state<Page | null>(null);
  let all = $state<Item[] | null>(null);
  let wrong = $state('');
  let taken = $state(-1);

  const find = $derived(place.get('find'));
  const cursor = $derived(place.get('page'));

  async function rest(first: Page, each: (n: number) => void): Promise<Item[]> {
    const items = [...first.items];
    for (let next = first.next; next; ) {
      const more = await api.search(find, kind, next, 200);
      items.push(...more.items);
      each(items.length);
      next = more.next;
    }
    return items;
  }

  $effect(() => {
    void revision.now;
    const [wanted, from, of] = [find, cursor, kind];
    return askLater(
      untrack(() => page) ? 120 : 0,
      async (stop) => {
        const got = await api.search(wanted, of, from, 50, stop);
        return { got, whole: !wanted && !from && got.total <= few ? await rest(got, () => {}) : null };
      },
      ({ got, whole }) => {
        if (whole) all = whole;
        page = got;
        wrong = '';
      },
      (error) => (wrong = error.message),
    );
  });

  async function take() {
    taken = 0;
    try {
      const items = await rest(await api.search(find, kind, '', 200), (n) => (taken = n));
      save(`${label.toLowerCase()}.csv`, new Blob([csv(items, columns)], { type: 'text/csv;charset=utf-8' }));
    } catch (error) {
      wrong = (error as Error).message;
    }
    taken = -1;
  }
</script>

{#if wrong}<Notice kind="wrong" title="No list">{wrong}</Notice>
{:else if !page}<Notice kind="wait" title="Fetching the list …" />
{:else if all}
  <Table name={kind} {label} rows={all} {columns} />
{:else}
  <div class="tools">
    <input type="search" aria-label="Search {label}" placeholder="Search" value={find} oninput={(e) => place.set({ find: e.currentTarget.value, page: '' })} />
    <span role="status">{page.total.toLocaleString('en')}</span>
    <button class="act" onclick={take} disabled={taken >= 0}>{taken >= 0 ? `${taken} of ${page.total} …` : 'Export CSV'}</button>
  </div>
  <Table name={kind} label="{label} on this page" rows={page.items} {columns} tools={false} nothing="Nothing matches." />
  <nav aria-label="Pages">
    <button class="act" disabled={!cursor} onclick={() => history.back()}>Back</button>
    <button class="act" disabled={!page.next} onclick={() => place.go(place.to(place.path, { find, page: page!.next ?? '' }))}>Next</button>
  </nav>
{/if}

<style>
  .tools,
  nav {
    display: flex;
    gap: var(--s3);
    align-items: center;
    margin: var(--s2) 0;
    color: var(--ink-soft);
  }
  input {
    flex: 0 1 20rem;
    min-height: 2.25rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--sheet);
  }
</style>
