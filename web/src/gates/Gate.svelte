<script lang="ts">
  /** The sign of a gate inside a drawing. */
  import type { State } from '../api/client';
  import { bar } from '../lib/lit';

  let { x, y, state, tone = 'plain' }: { x: number; y: number; state: State; tone?: string } = $props();
  const b = $derived(bar(state));
</script>

<g transform="translate({x} {y})" data-state={state} class={tone}>
  <path class="post" d="M-9 -9V9M9 -9V9" />
  <path class="bar" d={b.solid} />
  {#if b.dotted}<path class="bar dotted" d={b.dotted} />{/if}
</g>

<style>
  path {
    fill: none;
    stroke: var(--state);
    stroke-linecap: round;
    stroke-width: 2.8;
  }
  .dotted {
    stroke-width: 1.8;
    stroke-dasharray: 0.5 3.5;
  }
  .faded path {
    stroke: var(--hair);
  }
</style>
