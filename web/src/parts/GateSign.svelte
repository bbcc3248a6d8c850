<script lang="ts">
  /** The sign of a state: a gate seen from the front. Its bar has a gap, is
   * half drawn, or is full; without a gate there is no line. */
  import type { State } from '../api/client';

  let { state, size = 18 }: { state: State; size?: number } = $props();
</script>

<svg width={size * 1.25} height={size} viewBox="0 0 25 20" data-state={state} aria-hidden="true">
  {#if state === 'none'}
    <circle cx="12.5" cy="10" r="1.6" class="dot" />
  {:else}
    <path class="post" d="M4 2v16M21 2v16" />
    {#if state === 'open'}
      <path class="bar" d="M4 10h3.5M17.5 10H21" />
    {:else if state === 'depends'}
      <path class="bar" d="M4 10h8.5" />
      <path class="bar rest" d="M12.5 10H21" />
    {:else}
      <path class="bar" d="M4 10h17" />
    {/if}
  {/if}
</svg>

<style>
  svg {
    color: var(--state);
    flex: none;
    vertical-align: middle;
  }
  path {
    fill: none;
    stroke: currentColor;
    stroke-linecap: round;
  }
  .post {
    stroke-width: 2.6;
  }
  .bar {
    stroke-width: 3.2;
  }
  .rest {
    stroke-width: 1.6;
    stroke-dasharray: 0.5 3.4;
  }
  .dot {
    fill: currentColor;
  }
</style>
