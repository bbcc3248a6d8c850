<script lang="ts">
  /** What must stay true, and whether it is. */
  import { api, type Change, type Guaranteed, type MapInfo } from '../api/client';
  import { ask } from '../lib/ask';
  import { keyOf } from '../lib/entry';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { rights } from '../lib/rights.svelte';
  import type { Column } from '../lib/rows';
  import { routesWords } from '../lib/words';
  import Notice from '../parts/Notice.svelte';
  import Stager from '../parts/Stager.svelte';
  import Table from '../parts/Table.svelte';

  let { map }: { map: MapInfo } = $props();

  const id = $props.id();
  let all = $state.raw<readonly Guaranteed[] | null>(null);
  let wrong = $state('');
  $effect(() => {
    void revision.changes;
    void place.get('trial');
    return ask(() => api.guarantees(), (got) => ((all = got.guarantees), (wrong = '')), (error: Error) => (wrong = error.message));
  });

  const chosen = $derived(all?.find((g) => g.guarantee === place.get('guarantee')));
  const columns: Column<Guaranteed>[] = [
    { name: 'state', label: 'State', text: (g) => g.state },
    { name: 'guarantee', label: 'Guarantee', text: (g) => g.guarantee, href: (g) => place.to('/guarantees', { guarantee: g.guarantee }) },
    { name: 'reason', label: 'Reason', text: (g) => g.reason },
    { name: 'people', label: 'People', text: (g) => String(g.users.length), number: true },
    { name: 'place', label: 'Place', text: (g) => (g.file ? `${g.file}:${g.line}` : ''), figures: true },
  ];

  const example = '{"guarantee": "only archivists purge", "at_most": 3, "can": {"system": "archive", "right": "frames:purge"}}';
  let text = $state('');
  const read = $derived.by((): { change: Change | null; wrong: string } => {
    if (!text.trim()) return { change: null, wrong: '' };
    try {
      return { change: { do: 'add-part', document: 'guarantees', list: 'guarantees', value: JSON.parse(text) as unknown } as Change, wrong: '' };
    } catch {
      return { change: null, wrong: 'It cannot be read yet: it is JSON.' };
    }
  });
</script>

<svelte:head><title>Guarantees · Gate Map</title></svelte:head>

<main class="page">
  <h1>Guarantees <small class="soft">{all ? `${all.filter((g) => g.state === 'broken').length} broken of ${all.length}` : ''}</small></h1>
  {#if wrong}<Notice kind="wrong" title="No guarantees">{wrong}</Notice>
  {:else if !all}<Notice kind="wait" title="Checking every guarantee for {map.users} people …" />
  {:else}
    <Table name="guarantees" label="Guarantees" rows={all} {columns} nothing="No guarantees yet." />
    {#if chosen}
      <section class="sheet" aria-label={chosen.guarantee}>
        <h2>{chosen.guarantee} is {chosen.state}</h2>
        <p>{chosen.reason}</p>
        {#if chosen.evidence.length}
          <ul>
            {#each chosen.evidence.slice(0, 100) as e, i (i)}
              <li><a href={links.person(e.user, { line: keyOf(e.entitlement) })}>{e.user}</a> <span class="figures">{e.entitlement.right} on {e.entitlement.object} of {e.entitlement.system}</span> {e.entitlement.state}
                <span class="soft">{routesWords(e.entitlement.routes, 'by ')}</span></li>
            {/each}
          </ul>
        {:else if chosen.users.length}<p>{chosen.users.join(', ')}</p>{/if}
      </section>
    {/if}
    {#if rights.stage}
      <section class="sheet no-print" aria-label="A new guarantee">
        <h2>A new guarantee</h2>
        <label for="{id}-text">What must stay true: <code class="figures">every</code>, <code class="figures">nobody</code> or <code class="figures">at_most</code>, and what they <code class="figures">can</code></label>
        <textarea id="{id}-text" class="figures" rows="3" placeholder={example} bind:value={text}></textarea>
        <Stager change={read.change} wrong={read.wrong} onstaged={() => (text = '')} />
      </section>
    {/if}
  {/if}
</main>

<style>
  ul {
    list-style: none;
    padding: 0;
    margin-top: var(--s3);
  }
  li {
    padding: var(--s1) 0;
    border-bottom: var(--line);
    overflow-wrap: anywhere;
  }
  textarea {
    display: block;
    width: 100%;
    padding: var(--s2) var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--paper);
    color: var(--ink);
  }
</style>
