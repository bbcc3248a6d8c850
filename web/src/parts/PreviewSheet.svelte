<script lang="ts">
  /** What an intake would change: records, and what people gain and lose by it. */
  import type { Preview } from '../api/client';
  import { links } from '../lib/place.svelte';
  import type { Column } from '../lib/rows';
  import Table from './Table.svelte';

  let { preview }: { preview: Preview } = $props();

  interface Row {
    what: string;
    name: string;
    detail: string;
  }
  const fields = (list: readonly { attribute: string; before: string; after: string }[]) => list.map((f) => `${f.attribute}: ${f.before || 'nothing'} → ${f.after || 'nothing'}`).join('; ');
  const rows = $derived<Row[]>([
    ...preview.rejected.map((r) => ({ what: 'rejected', name: '', detail: r })),
    ...preview.joined.map((name) => ({ what: 'joined', name, detail: '' })),
    ...preview.left.map((name) => ({ what: 'left', name, detail: '' })),
    ...preview.changed.map((r) => ({ what: 'changed', name: r.name, detail: fields(r.fields) })),
    ...preview.groups.map((g) => ({ what: `group: ${g.what}`, name: g.name, detail: [fields(g.fields), g.added.length ? `added: ${g.added.join(', ')}` : '', g.removed.length ? `removed: ${g.removed.join(', ')}` : ''].filter(Boolean).join('; ') })),
    ...preview.devices.map((r) => ({ what: 'device', name: r.name, detail: fields(r.fields) })),
    ...preview.renamed.map((r) => ({ what: 'written anew', name: '', detail: r })),
    ...preview.alone.map((name) => ({ what: 'matches no account', name, detail: '' })),
  ]);
  const columns: Column<Row>[] = [
    { name: 'what', label: 'Change', text: (r) => r.what },
    { name: 'name', label: 'Name', text: (r) => r.name, figures: true },
    { name: 'detail', label: 'Detail', text: (r) => r.detail },
  ];

  interface Effect {
    effect: string;
    user: string;
    what: string;
  }
  const effects = $derived<Effect[]>([
    ...preview.gains.map((h) => ({ effect: '+ gain', user: h.user, what: `${h.entitlement.right} on ${h.entitlement.object} of ${h.entitlement.system}` })),
    ...preview.losses.map((h) => ({ effect: '− loss', user: h.user, what: `${h.entitlement.right} on ${h.entitlement.object} of ${h.entitlement.system}` })),
    ...preview.changes.map((c) => ({ effect: '~ change', user: c.user, what: `${c.after.right} on ${c.after.object} of ${c.after.system}: ${c.before.state} → ${c.after.state}` })),
  ]);
  const effectColumns: Column<Effect>[] = [
    { name: 'effect', label: 'Effect', text: (e) => e.effect },
    { name: 'user', label: 'Person', text: (e) => e.user, href: (e) => links.person(e.user), figures: true },
    { name: 'what', label: 'Entitlement', text: (e) => e.what, figures: true },
  ];
</script>

<h3>Changes</h3>
<Table name="brings" label="Changes" {rows} {columns} nothing="Nothing changes." />
<h3>Gains and losses</h3>
{#if preview.looked < preview.touched}<p class="soft">Computed for {preview.looked} of the {preview.touched} people that it touches.</p>{/if}
<Table name="gains" label="Gains and losses" rows={effects} columns={effectColumns} nothing={preview.looked < preview.touched ? 'Nobody of these gains or loses anything.' : 'Nobody gains or loses anything.'} />
