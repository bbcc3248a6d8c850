<script lang="ts">
  /** Everyone who holds one thing. */
  import { api, type Holder, type SystemInfo } from '../api/client';
  import { ask } from '../lib/ask';
  import { pointsOf } from '../lib/gates';
  import { links, place } from '../lib/place.svelte';
  import type { Column } from '../lib/rows';
  import { situation } from '../lib/situation.svelte';
  import { notesOf } from '../lib/words';
  import More from './More.svelte';
  import Notice from './Notice.svelte';
  import Table from './Table.svelte';

  let { system, systems }: { system: SystemInfo; systems: readonly string[] } = $props();

  const points = $derived(pointsOf(system.type, system.document ?? {}, systems));
  const object = $derived(place.get('object') || points.objects[0] || '');
  const right = $derived(place.get('right') || points.rights[0] || '');
  let holders = $state<readonly Holder[] | null>(null);
  let total = $state(0);
  let cursor = $state('');
  let above = $state('');
  let wrong = $state('');

  $effect(() => {
    void situation.key;
    void place.get('trial');
    if (!object || !right) return;
    return ask(
      () => api.who(system.system, right, object, situation.facts),
      (got) => ((holders = got.users), (total = got.total), (cursor = got.next ?? ''), (above = got.decided_at ?? ''), (wrong = '')),
      (error: Error) => ((wrong = error.message), (holders = [])),
    );
  });

  async function more() {
    const got = await api.who(system.system, right, object, situation.facts, cursor);
    holders = [...(holders ?? []), ...got.users];
    cursor = got.next ?? '';
  }

  const columns = $derived<Column<Holder>[]>([
    { name: 'state', label: 'State', text: (h) => h.state, state: (h) => h.state },
    { name: 'user', label: 'Person', text: (h) => h.user, figures: true, href: (h) => links.person(h.user) },
    ...(holders?.some((h) => h.breadth) ? [{ name: 'breadth', label: 'Breadth', text: (h: Holder) => h.breadth ?? '' }] : []),
    { name: 'why', label: 'Needs, or what shuts it', text: (h) => notesOf(h).join(h.state === 'depends' ? ' or ' : ', ') },
    { name: 'by', label: 'By', text: (h) => [...new Set(h.routes.map((r) => r.mapping.slice(r.mapping.indexOf('/') + 1)))].join(', '), figures: true },
  ]);
</script>

<section aria-label="Who holds it">
  <h2>Who holds {right} on {object}</h2>
  {#if wrong}<Notice kind="wrong" title="No answer">{wrong}</Notice>
  {:else if !holders}<Notice kind="wait" title="Working it out …" />
  {:else}
    {#if above}<p>{object} is not declared; {above} above it decides.</p>{/if}
    <Table name="who" label="Holders" rows={holders} {columns} nothing="Nobody holds it." />
    <More shown={holders.length} {total} onmore={more} />
  {/if}
</section>
