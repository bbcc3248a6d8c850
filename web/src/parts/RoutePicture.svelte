<script lang="ts">
  /** The ways by which a person comes to an entitlement, drawn: the person, the
   * groups on the way, a gate for each line that gives it, and the object. */
  import type { Route, State } from '../api/client';
  import { draw } from '../lib/route';
  import { fit } from '../lib/fit';
  import Picture from './Picture.svelte';

  let { person, object, is, routes }: {
    person: string;
    object: string;
    is: State;
    routes: readonly Route[];
  } = $props();

  let width = $state(480);
  const drawing = $derived(draw(routes, width));
</script>

<Picture title="The way" words={[]} file="route" wide={false}>
  <div bind:clientWidth={width}>
    <svg class="drawing" {width} viewBox="0 0 {width} {drawing.height}" height={drawing.height} role="img" aria-label="The way of {person} to {object}; the words below tell it" data-state={is}>
      {#each drawing.lanes as lane, i (i)}
        <path class="way" d={lane.path} />
        <path class="exit" d={lane.exit} />
        {#each lane.stops as stop (stop.y)}
          <circle class="group" cx={stop.x} cy={stop.y} r="4.5" />
          <text x={stop.x + 12} y={stop.y + 4}>{stop.label}{#if stop.note}<tspan class="note" dx="8">{stop.note}</tspan>{/if}</text>
        {/each}
        <g class="gate" transform="translate({lane.gate.x} {lane.gate.y})">
          <path class="post" d="M-9 -10V10M9 -10V10" />
          {#if is === 'open'}
            <path class="bar" d="M-9 0h4M9 0h-4" />
          {:else if is === 'depends'}
            <path class="bar" d="M-9 0H0" /><path class="bar rest" d="M1 0H9" />
          {:else}
            <path class="bar" d="M-9 0H9" />
          {/if}
        </g>
        <text class="line" x={lane.gate.x + 18} y={lane.gate.y - 6}>{lane.gate.label}</text>
      {/each}
      <circle class="person" cx="14" cy="18" r="7" />
      <text class="end" x="28" y="22">{fit(person, width - 40)}</text>
      <rect class="object" x={drawing.object.x - 6} y={drawing.object.y - 4} width="12" height="12" />
      <text class="end" x={drawing.object.x - 14} y={drawing.object.y + 7} text-anchor="end">{fit(object, width - 60)}</text>
    </svg>
  </div>
</Picture>

<style>
  svg {
    display: block;
    overflow: visible;
  }
  path {
    fill: none;
    stroke-linecap: round;
  }
  .way {
    stroke: var(--ink-soft);
    stroke-width: 1.6;
  }
  .exit {
    stroke: var(--state);
    stroke-width: 1.8;
  }
  [data-state='depends'] .exit {
    stroke-dasharray: 6 5;
  }
  [data-state='shut'] .exit {
    stroke-dasharray: 1 6;
  }
  .group {
    fill: var(--sheet);
    stroke: var(--ink);
    stroke-width: 1.8;
  }
  .person {
    fill: var(--ink);
  }
  .object {
    fill: var(--sheet);
    stroke: var(--state);
    stroke-width: 2.4;
  }
  .post {
    stroke: var(--state);
    stroke-width: 3;
  }
  .bar {
    stroke: var(--state);
    stroke-width: 3.2;
  }
  .rest {
    stroke-width: 1.8;
    stroke-dasharray: 0.5 3.5;
  }
  text {
    font: 400 0.8125rem var(--figures);
    fill: var(--ink);
  }
  .note,
  .line {
    fill: var(--ink-soft);
  }
  .end {
    font: 700 var(--plain) var(--words);
  }
</style>
