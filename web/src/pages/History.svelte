<script lang="ts">
  /** Every revision: who, when, why, what was changed, and the way back. */
  import { api, type MapInfo, type Revision } from '../api/client';
  import { ask } from '../lib/ask';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { rights } from '../lib/rights.svelte';
  import type { Column } from '../lib/rows';
  import { when } from '../lib/when';
  import Notice from '../parts/Notice.svelte';
  import Table from '../parts/Table.svelte';

  let { map }: { map: MapInfo } = $props();

  let all = $state.raw<readonly Revision[] | null>(null);
  let older = $state('');
  let one = $state.raw<Revision | null>(null);
  let wrong = $state('');
  /** How many changes are shown until someone asks for all. */
  const some = 20;
  let whole = $state(false);

  $effect(() => {
    void revision.now;
    return ask(() => api.history(), (got) => ((all = got.revisions), (older = got.next ?? '')), (error: Error) => (wrong = error.message));
  });
  const chosen = $derived(Number(place.get('revision')) || 0);
  $effect(() => {
    one = null;
    whole = false;
    return chosen ? ask(() => api.revision(chosen), (got) => ((one = got), (wrong = '')), (error) => (wrong = error.message)) : undefined;
  });

  async function more() {
    const got = await api.history(older);
    all = [...all!, ...got.revisions];
    older = got.next ?? '';
  }
  async function revert() {
    try {
      place.go(links.trial((await api.revert(chosen)).name));
    } catch (error) {
      wrong = (error as Error).message;
    }
  }

  const columns: Column<Revision>[] = [
    { name: 'revision', label: 'Revision', text: (r) => String(r.revision), href: (r) => place.to('/history', { revision: String(r.revision) }), number: true },
    { name: 'at', label: 'Time', text: (r) => when(r.at), figures: true },
    { name: 'author', label: 'Author', text: (r) => r.author },
    { name: 'reason', label: 'Reason', text: (r) => r.reason },
    { name: 'trial', label: 'Trial', text: (r) => r.trial ?? '', figures: true },
    { name: 'reverts', label: 'Reverts', text: (r) => (r.reverts ? String(r.reverts) : ''), number: true },
  ];
</script>

<svelte:head><title>History · Gate Map</title></svelte:head>

<main class="page">
  <h1>History <small class="soft">revision {map.revision} is in force</small></h1>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if one}
    <section class="sheet" aria-label="Revision {one.revision}">
      <h2>Revision {one.revision}: {one.reason || 'no reason given'}</h2>
      <p class="soft">{one.author}, {when(one.at)}{one.trial ? `, from the trial ${one.trial}` : ''}{one.reverts ? `; it reverts revision ${one.reverts}` : ''}</p>
      {#if one.overrides}<p>Overridden: {one.overrides}</p>{/if}
      <h3>Changes</h3>
      <ul>{#each (one.changes ?? []).slice(0, whole ? undefined : some) as c, i (i)}<li>{c}</li>{:else}<li class="soft">Nothing was changed.</li>{/each}</ul>
      {#if one.written?.length}<p>Written to {#each one.written as x, i (x.directory)}{i ? ', ' : ''}{x.directory} at <span class="figures">{when(x.at)}</span>{/each}, before it was in force.</p>{/if}
      {#if one.arrived?.length}<p>Arrived in {#each one.arrived as a, i (a.system)}{i ? ', ' : ''}<a href={links.system(a.system)}>{a.system}</a> at <span class="figures">{when(a.at)}</span> (<a href={place.to('/deliveries', { delivery: String(a.delivery) })}>delivery {a.delivery}</a>){/each}.</p>{/if}
      {#if !whole && (one.changes?.length ?? 0) > some}<p><button class="act" onclick={() => (whole = true)}>Show all {one.changes?.length} changes</button></p>{/if}
      {#if rights.stage && one.revision > 1}<p><button class="act" onclick={revert}>Revert this revision</button> <span class="soft">begins a trial, which shows the outcome first</span></p>{/if}
    </section>
  {/if}
  {#if !all}<Notice kind="wait" title="Fetching the revisions …" />
  {:else}
    <Table name="revisions" label="Revisions" rows={all} {columns} nothing="No revisions yet." />
    {#if older}<p><button class="act" onclick={more}>Show older</button></p>{/if}
  {/if}
</main>

<style>
  h3 {
    margin: var(--s3) 0 var(--s1);
  }
  ul {
    padding-left: var(--s4);
    margin-bottom: var(--s3);
    overflow-wrap: anywhere;
  }
</style>
