<script lang="ts">
  /** The difference that a trial makes: for every system, losses to the left and gains
   * to the right of the line on which all stands now. */
  import { scaleLinear } from 'd3-scale';
  import type { Outcome } from '../api/client';
  import { fit } from '../lib/fit';
  import { place } from '../lib/place.svelte';
  import { tally } from '../lib/trial';
  import Picture from './Picture.svelte';

  let { outcome }: { outcome: Outcome } = $props();

  const row = 34;
  let width = $state(700);
  const mid = $derived(width * 0.58);
  const most = $derived(Math.max(1, ...outcome.by_system.map((s) => Math.max(s.gains, s.losses, s.changes + s.reroutes))));
  const long = $derived(scaleLinear([0, most], [0, width * 0.3]));
  const height = $derived(outcome.by_system.length * row + 30);
  const words = $derived(outcome.by_system.map((s) => `${s.name}: ${tally(s)}.`));
</script>

<Picture title="Losses and gains by system" {words} file="difference">
  <div bind:clientWidth={width}>
    <svg class="drawing" {width} {height} viewBox="0 0 {width} {height}" role="group" aria-label="{outcome.by_system.length} systems touched; the words below tell how">
      <text class="soft" x={mid - 10} y="14" text-anchor="end">lost</text>
      <text class="soft" x={mid + 10} y="14">gained</text>
      <path class="now" d="M{mid} 20V{height}" />
      {#each outcome.by_system as s, i (s.name)}
        {@const y = 24 + i * row}
        <a href={place.to(place.path, { system: s.name })}>
          <text class="words bold" x="0" y={y + 18}>{fit(s.name, width * 0.26, 7.5)}</text>
          {#if s.losses}<rect class="loss" x={mid - long(s.losses)} y={y + 5} width={long(s.losses)} height="16" /><text x={mid - long(s.losses) - 6} y={y + 18} text-anchor="end">−{s.losses}</text>{/if}
          {#if s.gains}<rect class="gain" x={mid} y={y + 5} width={long(s.gains)} height="16" /><text x={mid + long(s.gains) + 6} y={y + 18}>+{s.gains}</text>{/if}
          {#if s.changes + s.reroutes}<path class="other" d="M{mid - 1} {y + 25}h{long(s.changes + s.reroutes) + 2}" /><text class="soft" x={mid + long(Math.max(s.gains, s.changes + s.reroutes)) + 40} y={y + 18}>{[s.changes ? `~${s.changes}` : '', s.reroutes ? `=${s.reroutes}` : ''].join(' ').trim()}</text>{/if}
        </a>
      {/each}
    </svg>
  </div>
  <p class="soft">− lost, + gained, ~ held in another way, = comes by another route.</p>
</Picture>

<style>
  .now {
    stroke: var(--ink);
    stroke-width: 2;
  }
  .loss {
    fill: none;
    stroke: var(--shut);
    stroke-width: 2.4;
  }
  .gain {
    fill: var(--open);
  }
  .other {
    stroke: var(--depends);
    stroke-width: 3;
    stroke-dasharray: 5 4;
  }
  p {
    font-size: var(--small);
  }
</style>
