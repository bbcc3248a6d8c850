<script lang="ts">
  /** What linked systems really hold, beside what the map says. */
  import { api, type Drifts, type Linked, type MapInfo } from '../api/client';
  import { ask } from '../lib/ask';
  import { links } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import DriftSheet from '../parts/DriftSheet.svelte';
  import LinkSheet from '../parts/LinkSheet.svelte';
  import Notice from '../parts/Notice.svelte';

  let { map }: { map: MapInfo } = $props();

  let systems = $state.raw<readonly Linked[] | null>(null);
  let drifts = $state.raw<Drifts | null>(null);
  let wrong = $state('');
  let asked = $state(0);
  $effect(() => {
    void revision.changes;
    void asked;
    return ask(
      async () => [await api.linked(), await api.drift()] as const,
      ([l, d]) => ([systems, drifts, wrong] = [l.systems, d, '']),
      (error: Error) => (wrong = error.message),
    );
  });
  const of = (system: string) => drifts?.drifts.find((d) => d.system === system);
</script>

<svelte:head><title>Drift · Gate Map</title></svelte:head>

<main class="page">
  <h1>Drift <small class="soft">what systems really hold, beside what the map says</small></h1>
  {#if wrong}<Notice kind="wrong" title="No drift">{wrong}</Notice>
  {:else if !systems}<Notice kind="wait" title="Comparing what was read with the map …" />
  {:else if systems.length === 0}
    <Notice kind="empty" title="No system is linked">
      None of the {map.systems} systems of the map says how the real one is reached. Give the document of one the key <code class="figures">link</code>, on its page, to see what it really holds.
    </Notice>
  {:else}
    {#each systems as l (l.system)}
      {@const drift = of(l.system)}
      <section class="sheet" aria-label={l.system}>
        <h2><a href={links.system(l.system)}>{l.system}</a> <small class="soft">{l.title ?? ''}</small></h2>
        <LinkSheet linked={l} onread={() => asked++} />
        {#if drift}<DriftSheet {drift} />{/if}
      </section>
    {/each}
  {/if}
</main>

<style>
  section {
    padding-bottom: var(--s6);
  }
</style>
