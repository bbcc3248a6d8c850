<script lang="ts">
  /** How linked systems are brought to what the map says: the exact statements, and what arrived. */
  import { api, type Delivery, type DeliveryPlan, type Linked, type MapInfo } from '../api/client';
  import { ask } from '../lib/ask';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { rights } from '../lib/rights.svelte';
  import type { Column } from '../lib/rows';
  import { when } from '../lib/when';
  import DeliverySheet from '../parts/DeliverySheet.svelte';
  import Notice from '../parts/Notice.svelte';
  import Table from '../parts/Table.svelte';

  let { map }: { map: MapInfo } = $props();

  let systems = $state.raw<readonly Linked[] | null>(null);
  let deliveries = $state.raw<readonly Delivery[]>([]);
  let plan = $state.raw<DeliveryPlan | null>(null);
  let script = $state('');
  let wrong = $state('');
  let busy = $state('');
  let again = $state(0);

  const chosen = $derived(Number(place.get('delivery')) || 0);
  const open = (d: Delivery) => d.state === 'waiting' || d.state === 'held';
  const delivered = $derived((systems ?? []).filter((l) => l.deliver));

  $effect(() => {
    void revision.changes;
    void again;
    return ask(
      () => Promise.all([api.linked(), api.deliveries()]),
      ([l, d]) => ((systems = l.systems), (deliveries = d.deliveries)),
      (error) => (wrong = error.message),
    );
  });
  $effect(() => {
    void revision.changes;
    void again;
    const id = chosen;
    if (!id) plan = null;
    else return ask(() => api.delivery(id), (p) => (plan = p), (error) => (wrong = error.message));
  });
  $effect(() => {
    void chosen;
    script = '';
  });

  async function attempt(what: string, work: () => Promise<Delivery>) {
    [busy, wrong] = [what, ''];
    try {
      place.set({ delivery: String((await work()).id) });
    } catch (error) {
      wrong = (error as Error).message;
    }
    busy = '';
    again++;
  }
  async function showScript(id: number) {
    try {
      script = (await api.deliveryScript(id)).script;
    } catch (error) {
      wrong = (error as Error).message;
    }
  }

  const words = (d: Delivery) =>
    d.statements === 0
      ? 'holds what is delivered already'
      : [`${d.statements} ${d.statements === 1 ? 'statement' : 'statements'}`, d.taken ? `takes away ${d.taken} of ${d.grants}` : '', d.left_out ? `${d.left_out} not delivered` : ''].filter(Boolean).join(', ');
  const columns: Column<Delivery>[] = [
    { name: 'id', label: 'Delivery', text: (d) => String(d.id), href: (d) => place.to('/deliveries', { delivery: String(d.id) }), number: true },
    { name: 'system', label: 'System', text: (d) => d.system, href: (d) => links.system(d.system), figures: true },
    { name: 'state', label: 'Status', text: (d) => d.state },
    { name: 'by', label: 'By', text: (d) => d.by ?? d.begun_by },
    { name: 'began', label: 'Begun', text: (d) => when(d.began), figures: true },
    { name: 'does', label: 'Does', text: (d) => d.error ?? words(d) },
    { name: 'read', label: 'Read again', text: (d) => (d.read ? `${d.excess} in excess, ${d.short} short` : '') },
    { name: 'revision', label: 'Revision', text: (d) => String(d.revision), href: (d) => place.to('/history', { revision: String(d.revision) }), number: true },
  ];
</script>

<svelte:head><title>Deliveries · Gate Map</title></svelte:head>

<main class="page">
  <h1>Deliveries <small class="soft">how systems are brought to what the map says</small></h1>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if !systems}<Notice kind="wait" title="Fetching the deliveries …" />
  {:else if delivered.length === 0}
    <Notice kind="empty" title="Nothing can be delivered">None of the {map.systems} systems of the map has a link by which it can be brought to what the map says.</Notice>
  {:else}
    <ul class="systems">
      {#each delivered as l (l.system)}
        <li class="sheet">
          <h2><a href={links.system(l.system)}>{l.system}</a></h2>
          <p class="soft">By <span class="figures">{l.kind}</span>, {l.deliver === 'on-commit' ? 'at every commit' : l.deliver === 'never' ? 'never, as its link says' : 'by hand'}.</p>
          {#if rights.has('intake') && l.deliver !== 'never'}
            <button class="act" disabled={busy !== ''} onclick={() => attempt(`Reading ${l.system} …`, () => api.runDelivery(l.system))}>See what is to be delivered</button>
          {/if}
        </li>
      {/each}
    </ul>
    {#if busy}<p role="status">{busy}</p>{/if}
    {#if plan}
      {@const d = plan.delivery}
      <section class="sheet" aria-label="Delivery {d.id}">
        <h2>Delivery {d.id} to {d.system}: {d.state}</h2>
        <p>From revision {d.revision}: {words(d)}.{d.by ? ` Committed by ${d.by}.` : ''}{d.read ? ` Read again: ${d.excess} in excess, ${d.short} short.` : ''}</p>
        {#if d.held && d.state === 'held'}<Notice kind="wrong" title="Held by the removal limit">{d.held}</Notice>{/if}
        {#if d.error}<Notice kind="wrong" title={d.state === 'discarded' ? 'Discarded' : 'It did not arrive'}>{d.error}</Notice>{/if}
        <p class="acts">
          {#if open(d) && rights.has('deliver')}
            <button class="act main" disabled={busy !== ''} onclick={() => attempt('Delivering …', () => api.commitDelivery(d.id, d.state === 'held'))}>{d.state === 'held' ? 'Deliver despite the limit' : 'Deliver'}</button>
          {/if}
          {#if (open(d) || d.state === 'handed out') && rights.has('intake')}<button class="act" disabled={busy !== ''} onclick={() => attempt('', () => api.discardDelivery(d.id))}>Discard</button>{/if}
          {#if d.statements}<button class="act" onclick={() => (script ? (script = '') : showScript(d.id))}>{script ? 'Hide the script' : 'Show it as a script'}</button>{/if}
        </p>
        {#if script}<pre class="figures">{script}</pre>{:else}<DeliverySheet {plan} />{/if}
      </section>
    {/if}
    <section aria-label="All deliveries">
      <h2>All deliveries</h2>
      <Table name="deliveries" label="Deliveries" rows={deliveries} {columns} nothing="No deliveries yet." />
    </section>
  {/if}
</main>

<style>
  .systems {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(20rem, 100%), 1fr));
    gap: var(--s4);
    list-style: none;
    padding: 0;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3);
    margin-top: var(--s3);
  }
  section.sheet {
    margin-top: var(--s6);
  }
  pre {
    overflow-x: auto;
    margin-top: var(--s4);
  }
</style>
