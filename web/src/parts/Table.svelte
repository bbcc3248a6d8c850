<script lang="ts" generics="T">
  /** A table that sorts, filters, turns pages and exports, and keeps all that in the
   * address. */
  import type { Snippet } from 'svelte';
  import { place } from '../lib/place.svelte';
  import { csv, filtered, sorted, type Column } from '../lib/rows';
  import { save } from '../lib/save';
  import type { State } from '../api/client';
  import StateMark from './StateMark.svelte';

  let { name, label, rows, columns, tools = true, struck, acts, actsLabel = '', nothing = 'Nothing is here.' }: {
    name: string;
    label: string;
    rows: readonly T[];
    columns: readonly Column<T>[];
    tools?: boolean;
    struck?: (row: T) => boolean; // shown as without effect
    acts?: Snippet<[T]>;
    actsLabel?: string;
    nothing?: string;
  } = $props();

  const size = 100;
  const by = $derived(place.get(`${name}-by`));
  const find = $derived(place.get(`${name}-find`));
  const all = $derived(sorted(filtered(rows, columns, find), columns, by));
  const pages = $derived(Math.max(1, Math.ceil(all.length / size)));
  const page = $derived(Math.min(pages, Math.max(1, Number(place.get(`${name}-page`)) || 1)));
  const shown = $derived(all.slice((page - 1) * size, page * size));

  const order = (c: Column<T>) => (by === c.name ? 'ascending' : by === `-${c.name}` ? 'descending' : 'none');
  const sort = (c: Column<T>) => place.set({ [`${name}-by`]: by === c.name ? `-${c.name}` : by === `-${c.name}` ? '' : c.name, [`${name}-page`]: '' });
  const turn = (to: number) => place.set({ [`${name}-page`]: to === 1 ? '' : String(to) });
  const take = () => save(`${label.toLowerCase().replaceAll(/\W+/g, '-')}.csv`, new Blob([csv(all, columns)], { type: 'text/csv;charset=utf-8' }));
</script>

{#if tools}
  <div class="tools">
    <input type="search" aria-label="Filter {label}" placeholder="Filter" value={find} oninput={(e) => place.set({ [`${name}-find`]: e.currentTarget.value, [`${name}-page`]: '' })} />
    <span role="status">{all.length === rows.length ? `${rows.length}` : `${all.length} of ${rows.length}`}</span>
    <button onclick={take} disabled={all.length === 0} aria-label="Export CSV of {label}">Export CSV</button>
  </div>
{/if}
<!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls must be reached by keys) -->
<div class="wide" role="region" aria-label="{label}, table" tabindex="0">
  <table>
    <caption class="unseen">{label}</caption>
    <thead>
      <tr>
        {#each columns as c (c.name)}
          <th scope="col" aria-sort={order(c)} class:number={c.number}><button onclick={() => sort(c)}>{c.label}<span aria-hidden="true">{order(c) === 'ascending' ? ' ↑' : order(c) === 'descending' ? ' ↓' : ''}</span></button></th>
        {/each}
        {#if acts}<th scope="col"><span class="unseen">{actsLabel}</span></th>{/if}
      </tr>
    </thead>
    <tbody>
      {#each shown as row}
        <tr class:struck={struck?.(row)}>
          {#each columns as c (c.name)}
            <td class:number={c.number} class:figures={c.figures || c.number} dir="auto">
              {#if c.state}<StateMark state={c.state(row) as State} />
              {:else if c.href && c.href(row)}<a href={c.href(row)}>{c.text(row)}</a>
              {:else}{c.text(row)}{/if}
            </td>
          {/each}
          {#if acts}<td class="acts">{@render acts(row)}</td>{/if}
        </tr>
      {:else}
        <tr><td class="nothing" colspan={columns.length + (acts ? 1 : 0)}>{rows.length === 0 ? nothing : 'Nothing matches the filter.'}</td></tr>
      {/each}
    </tbody>
  </table>
</div>
{#if pages > 1}
  <nav aria-label="Pages of {label}">
    <button disabled={page === 1} onclick={() => turn(page - 1)}>Back</button>
    <span class="figures">{(page - 1) * size + 1}–{(page - 1) * size + shown.length} of {all.length}</span>
    <button disabled={page === pages} onclick={() => turn(page + 1)}>Next</button>
  </nav>
{/if}

<style>
  .struck td:not(:last-child) {
    text-decoration: line-through;
    color: var(--ink-soft);
  }
  .tools,
  nav {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s2) var(--s3);
    margin: var(--s2) 0;
    font-size: var(--small);
    color: var(--ink-soft);
  }
  input {
    flex: 0 1 16rem;
    min-width: 6rem;
    min-height: 1.9rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--sheet);
  }
  .tools button,
  nav button {
    min-height: 1.9rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: none;
    color: var(--ink);
    cursor: pointer;
  }
  button:disabled {
    border-color: var(--hair);
    color: var(--none);
    cursor: default;
  }
  .wide {
    position: relative; /* holds what is out of sight in it */
    overflow-x: auto;
  }
  table {
    width: 100%;
    border-collapse: collapse;
    border-top: 2px solid var(--ink);
  }
  th {
    text-align: left;
    padding: 0 var(--s3) 0 0;
  }
  th button {
    border: 0;
    padding: var(--s1) 0;
    background: none;
    color: var(--ink-soft);
    font-size: var(--small);
    cursor: pointer;
    white-space: nowrap;
  }
  th button:hover {
    color: var(--ink);
    text-decoration: underline;
  }
  td {
    padding: var(--s1) var(--s3) var(--s1) 0;
    border-top: 1px solid var(--hair);
    vertical-align: baseline;
    overflow-wrap: break-word;
  }
  td.figures:not(.number) {
    min-width: 9ch;
  }
  .figures {
    overflow-wrap: anywhere;
  }
  tbody tr:hover {
    background: var(--sheet);
  }
  .number {
    text-align: right;
  }
  .acts {
    text-align: right;
    white-space: nowrap;
  }
  .nothing {
    padding: var(--s4);
    color: var(--ink-soft);
  }
</style>
