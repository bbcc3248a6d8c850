<script lang="ts">
  /** What a person holds, by system. A line that is chosen shows its route. */
  import type { Entitlement, State } from '../api/client';
  import { bySystem, counts, keyOf } from '../lib/entry';
  import { place } from '../lib/place.svelte';
  import { csv, type Column } from '../lib/rows';
  import { save } from '../lib/save';
  import { notesOf } from '../lib/words';
  import GateSign from './GateSign.svelte';
  import Notice from './Notice.svelte';
  import StateMark from './StateMark.svelte';

  let { list, titles, chosen, onchoose }: {
    list: readonly Entitlement[];
    titles: ReadonlyMap<string, string>;
    chosen: string;
    onchoose: (e: Entitlement) => void;
  } = $props();

  const states: State[] = ['open', 'depends', 'shut'];
  const only = $derived(place.get('state'));
  const text = $derived(place.get('filter').toLowerCase());
  const total = $derived(counts(list));
  const shown = $derived(
    list.filter((e) => (!only || e.state === only) && (!text || keyOf(e).toLowerCase().includes(text))),
  );
  const columns: Column<Entitlement>[] = [
    { name: 'system', label: 'System', text: (e) => e.system },
    { name: 'object', label: 'Object', text: (e) => e.object },
    { name: 'right', label: 'Right', text: (e) => e.right },
    { name: 'breadth', label: 'Breadth', text: (e) => e.breadth ?? '' },
    { name: 'state', label: 'State', text: (e) => e.state },
    { name: 'why', label: 'Needs, or what shuts it', text: (e) => notes(e).join(e.state === 'depends' ? ' or ' : '; ') },
    { name: 'by', label: 'By', text: (e) => [...new Set(e.routes.map((r) => r.mapping))].join('; ') },
  ];
  const take = () => save('holds.csv', new Blob([csv(shown, columns)], { type: 'text/csv;charset=utf-8' }));
  const notes = notesOf;
</script>

<div class="sieve no-print">
  <div role="group" aria-label="Show states">
    <button aria-pressed={!only} onclick={() => place.set({ state: '' })}>all {list.length}</button>
    {#each states as s (s)}
      <button aria-pressed={only === s} onclick={() => place.set({ state: only === s ? '' : s })}>
        <GateSign state={s} size={14} />
        {s}
        {total[s]}
      </button>
    {/each}
  </div>
  <input
    type="search"
    aria-label="Filter by system, object or right"
    placeholder="Filter by system, object or right"
    value={place.get('filter')}
    oninput={(e) => place.set({ filter: e.currentTarget.value })}
  />
  <button class="take" onclick={take} disabled={shown.length === 0}>Export CSV</button>
</div>

{#each bySystem(shown) as part (part.system)}
  <section aria-label={part.system}>
    <h2>{part.system}{#if titles.get(part.system)}<small>{titles.get(part.system)}</small>{/if}</h2>
    <ul>
      {#each part.entries as e, i (keyOf(e))}
        <li>
          <button class="line" aria-pressed={chosen === keyOf(e)} onclick={() => onchoose(e)}>
            <StateMark state={e.state} />
            <span class="figures object" class:again={part.entries[i - 1]?.object === e.object}>{e.object}</span>
            <span class="figures right" class:alone={notes(e).length === 0}>{e.right}{#if e.breadth}<em>{e.breadth}</em>{/if}</span>
            {#if notes(e).length > 0}
              <span class="notes" class:ways={e.state === 'depends'} data-state={e.state}>{#each notes(e) as n, i (i)}<span>{i && e.state === 'depends' ? `or ${n}` : n}</span>{/each}</span>
            {/if}
          </button>
        </li>
      {/each}
    </ul>
  </section>
{:else}
  <div class="nothing">
    {#if list.length === 0}
      <Notice kind="empty" title="Holds nothing">No line of any system names this account, or a group that it is in.</Notice>
    {:else}
      <Notice kind="empty" title="Nothing like that">
        None of the {list.length} lines has that state and text.
        <button class="undo" onclick={() => place.set({ state: '', filter: '' })}>Show all</button>
      </Notice>
    {/if}
  </div>
{/each}

<style>
  .sieve {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2) var(--s4);
    margin-bottom: var(--s4);
  }
  .sieve button {
    display: inline-flex;
    align-items: center;
    gap: var(--s1);
    min-height: 1.9rem;
    padding: 0 var(--s3);
    margin-left: -1px;
    border: 1px solid var(--hair);
    background: var(--sheet);
    font-size: var(--small);
    cursor: pointer;
  }
  .sieve button[aria-pressed='true'] {
    border-color: var(--ink);
    box-shadow: inset 0 -3px 0 var(--ink);
    position: relative;
  }
  .sieve .take {
    margin: 0;
    border-radius: var(--corner);
  }
  .sieve [role='group'] {
    display: flex;
  }
  input {
    flex: 1 1 12rem;
    min-height: 1.9rem;
    padding: 0 var(--s3);
    border: 1px solid var(--hair);
    border-radius: var(--corner);
    background: var(--sheet);
    font-size: var(--small);
  }
  input::placeholder {
    color: var(--ink-soft);
    opacity: 1;
  }
  section {
    margin-bottom: var(--s6);
  }
  h2 {
    font-size: var(--large);
    border-bottom: 2px solid var(--ink);
    padding-bottom: 2px;
  }
  h2 small {
    margin-left: var(--s3);
    font-size: var(--plain);
    font-weight: 400;
    color: var(--ink-soft);
  }
  ul {
    list-style: none;
  }
  .line {
    display: grid;
    grid-template-columns: 6.25rem minmax(5rem, 12rem) minmax(6rem, 9.5rem) minmax(0, 1fr);
    gap: var(--s1) var(--s3);
    align-items: center;
    width: 100%;
    padding: 3px var(--s2) 3px var(--s3);
    font-size: var(--small);
    border: 0;
    border-bottom: 1px solid var(--hair);
    background: none;
    text-align: left;
    cursor: pointer;
  }
  .line:hover {
    background: var(--sheet);
  }
  .line[aria-pressed='true'] {
    background: var(--water-wash);
    box-shadow: inset 4px 0 0 var(--water);
  }
  .object,
  .right {
    overflow-wrap: anywhere;
  }
  .alone {
    grid-column: 3 / -1;
  }
  .again {
    color: var(--none);
  }
  em {
    margin-left: var(--s2);
    color: var(--ink-soft);
  }
  .notes {
    display: flex;
    flex-wrap: wrap;
    gap: 2px var(--s1);
  }
  .notes.ways {
    flex-direction: column;
    align-items: start;
  }
  .notes span {
    padding: 0 var(--s2);
    border-radius: var(--corner);
    font-size: var(--small);
    background: var(--state-wash);
  }
  .undo {
    border: 0;
    background: none;
    padding: 0;
    color: var(--water);
    text-decoration: underline;
    cursor: pointer;
  }
  @media (max-width: 40rem) {
    .line {
      grid-template-columns: 6.25rem 1fr;
    }
    .right,
    .alone,
    .notes {
      grid-column: 2;
    }
    .sieve [role='group'] {
      flex-wrap: wrap;
    }
  }
</style>
