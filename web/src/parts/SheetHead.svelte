<script lang="ts">
  /** What a printed sheet says of itself: of which map, when, and in which situation. */
  import type { MapInfo } from '../api/client';
  import { place } from '../lib/place.svelte';
  import { situation } from '../lib/situation.svelte';
  import { when } from '../lib/when';

  let { map }: { map: MapInfo } = $props();
</script>

<p>{map.title} · revision {map.revision}{place.get('trial') ? ` with the trial ${place.get('trial')}` : ''} · {when(new Date().toISOString())} · situation: {situation.words}</p>

<style>
  p {
    display: none;
    border-bottom: 1px solid var(--ink);
    font-family: var(--figures);
    font-size: var(--figure-size);
  }
  @media print {
    p {
      display: block;
    }
  }
</style>
