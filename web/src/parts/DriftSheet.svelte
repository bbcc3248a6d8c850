<script lang="ts">
  /** How one linked system differs from the map: the picture, the people, the strangers, the lines. */
  import type { Drift, DriftItem, State } from '../api/client';
  import { links, place } from '../lib/place.svelte';
  import { routesWords, stateWords } from '../lib/words';
  import type { Column } from '../lib/rows';
  import DriftLines from './DriftLines.svelte';
  import DriftPicture from './DriftPicture.svelte';
  import Notice from './Notice.svelte';
  import Table from './Table.svelte';

  let { drift }: { drift: Drift } = $props();

  const key = $derived(`cause-${drift.system}`);
  const chosen = $derived(place.get(key) === '' ? -1 : Number(place.get(key)));
  const items = $derived(chosen < 0 ? drift.items : drift.items.filter((x) => x.cause === chosen));
  const columns = $derived<Column<DriftItem>[]>([
    { name: 'effect', label: 'Effect', text: (x) => x.effect },
    { name: 'user', label: 'Person', text: (x) => x.user, href: (x) => (x.user.startsWith(`${drift.system}/`) ? '' : links.person(x.user)), figures: true },
    { name: 'what', label: 'Entitlement', text: (x) => `${x.right} on ${x.object}`, figures: true },
    { name: 'map', label: 'By the map', text: (x) => stateWords[x.map as State] },
    { name: 'there', label: 'Really', text: (x) => stateWords[x.really as State] },
    { name: 'routes', label: 'By the map by', text: (x) => routesWords(x.map_routes) },
    { name: 'real', label: 'There by', text: (x) => routesWords(x.really_routes) },
  ]);
  const none = $derived(drift.total + drift.lines.length + drift.unknown.length + drift.unclear.length === 0);
</script>

{#if none}
  <Notice kind="empty" title="It holds what the map says">Nobody holds more or less there, and every account belongs to somebody of the map.</Notice>
{:else}
  <p><b>{drift.excess}</b> entitlements more there than by the map, <b>{drift.short}</b> less; <b>{drift.unknown.length}</b> {drift.unknown.length === 1 ? 'stranger' : 'strangers'}.</p>
  {#if drift.causes.length}<DriftPicture causes={drift.causes} {chosen} onpick={(cause) => place.set({ [key]: cause < 0 ? '' : String(cause) })} />{/if}
  {#if drift.items.length}
    <section aria-label="By person in {drift.system}">
      <h3>By person{chosen >= 0 ? `, where ${drift.causes[chosen]?.sentence}` : ''}</h3>
      <Table name="items-{drift.system}" label="Drift of {drift.system}" rows={items} {columns} />
      {#if drift.items.length < drift.total}<p class="soft">These are the first {drift.items.length} of {drift.total}; all of them: <code class="figures">gatemap drift {drift.system} --people -o csv</code></p>{/if}
    </section>
  {/if}
  {#if drift.unknown.length + drift.unclear.length}
    <section aria-label="Strangers in {drift.system}">
      <h3>Strangers: accounts of nobody of the map</h3>
      <ul>
        {#each drift.unknown as a (a.name)}<li><span class="figures">{a.name}</span> <span class="soft">{[a.active ? '' : 'cannot be used', a.note ?? ''].filter(Boolean).join(', ')}</span></li>{/each}
        {#each drift.unclear as a (a.name)}<li><span class="figures">{a.name}</span> may be any of <span class="figures">{a.records.join(', ')}</span></li>{/each}
      </ul>
    </section>
  {/if}
  {#if drift.lines.length}<DriftLines {drift} />{/if}
{/if}
{#if drift.beyond_all}
  <section aria-label="Beyond {drift.system}">
    <h3>Beyond: {drift.beyond_all} {drift.beyond_all === 1 ? 'thing' : 'things'} that a system of this type cannot express</h3>
    <ul>{#each drift.beyond.slice(0, 20) as b (b.text)}<li>{b.what} <span class="figures">{b.text}</span></li>{/each}</ul>
  </section>
{/if}

<style>
  section,
  p {
    margin-top: var(--s4);
  }
  h3 {
    font-size: var(--plain);
  }
  ul {
    list-style: none;
    padding: 0;
  }
  li {
    padding: var(--s1) 0;
    border-bottom: var(--line);
    overflow-wrap: anywhere;
  }
</style>
