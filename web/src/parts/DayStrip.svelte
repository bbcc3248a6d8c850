<script lang="ts">
  /** A day of 24 hours with the named windows on it. Dragging, clicking and the
   * arrow keys move the needle; without a time there is none. */
  import { scaleLinear } from 'd3-scale';
  import { bandsOn, clock, type Band } from '../lib/time';

  let {
    day,
    minute,
    windows,
    onpick,
  }: {
    day: number;
    minute: number | null;
    windows: readonly { name: string; days: readonly string[]; from: string; to: string }[];
    onpick: (minute: number) => void;
  } = $props();

  const step = 15;
  const last = 1440 - step;
  const row = 15;
  let width = $state(480);
  let strip: HTMLDivElement;

  const x = $derived(scaleLinear([0, 1440], [0, width]));
  const bands = $derived(bandsOn(day, windows));
  const names = $derived([...new Set(bands.map((b) => b.name))].sort());
  const height = $derived(Math.max(1, names.length) * row + 17);
  const hours = $derived(width < 420 ? [0, 6, 12, 18, 24] : [0, 3, 6, 9, 12, 15, 18, 21, 24]);

  const fits = (b: Band) => x(b.to) - x(b.from) > b.name.length * 7 + 6;
  const holds = (b: Band) => minute !== null && minute >= b.from && minute < b.to;
  const now = $derived(bands.filter(holds).map((b) => b.name));
  const spoken = $derived(
    minute === null ? 'no time given' : `${clock(minute)}, ${now.length ? 'in ' + now.join(' and ') : 'in no window'}`,
  );

  function at(event: PointerEvent) {
    const box = strip.getBoundingClientRect();
    onpick(Math.min(last, Math.max(0, Math.round(x.invert(event.clientX - box.left) / step) * step)));
  }

  function down(event: PointerEvent) {
    strip.setPointerCapture(event.pointerId);
    at(event);
  }

  function key(event: KeyboardEvent) {
    const moves: Record<string, number> = { ArrowLeft: -step, ArrowDown: -step, ArrowRight: step, ArrowUp: step, PageDown: -60, PageUp: 60 };
    const from = minute ?? 720;
    if (event.key in moves) onpick(Math.min(last, Math.max(0, from + moves[event.key]!)));
    else if (event.key === 'Home') onpick(0);
    else if (event.key === 'End') onpick(last);
    else return;
    event.preventDefault();
  }
</script>

<div
  bind:this={strip}
  bind:clientWidth={width}
  role="slider"
  tabindex="0"
  aria-label="Time of day"
  aria-valuemin="0"
  aria-valuemax={last}
  aria-valuenow={minute ?? 720}
  aria-valuetext={spoken}
  onpointerdown={down}
  onpointermove={(e) => e.buttons === 1 && at(e)}
  onkeydown={key}
>
  <svg {width} {height} aria-hidden="true">
    {#each hours as h (h)}
      <path class="hour" d="M{x(h * 60)} 0V{height - 13}" />
      <text class="tick" x={x(h * 60)} y={height - 2} text-anchor={h === 0 ? 'start' : h === 24 ? 'end' : 'middle'}>{h}</text>
    {/each}
    {#each bands as band (band.name + band.from)}
      {@const y = names.indexOf(band.name) * row}
      <g class:holds={holds(band)}>
        <rect class="band" x={x(band.from)} y={y + 1} width={x(band.to) - x(band.from)} height={row - 2} />
        <text class:beside={!fits(band)} x={x(fits(band) ? band.from : band.to) + 4} y={y + row - 4}>{band.name}</text>
      </g>
    {/each}
    {#if minute !== null}
      <path class="needle" d="M{x(minute)} 0V{height - 12}" />
      <circle class="knob" cx={x(minute)} cy={height - 12} r="5" />
    {/if}
  </svg>
</div>

<style>
  div {
    cursor: ew-resize;
    touch-action: none;
    user-select: none;
  }
  svg {
    display: block;
    overflow: visible;
  }
  .hour {
    stroke: var(--hair);
  }
  .band {
    fill: var(--fold);
    stroke: var(--hair);
  }
  text {
    font: 400 11px/1 var(--figures);
    fill: var(--ink-soft);
  }
  .holds .band {
    fill: var(--water);
    stroke: var(--water);
  }
  .holds text:not(.beside) {
    fill: var(--sheet);
  }
  .needle {
    stroke: var(--focus);
    stroke-width: 2;
  }
  .knob {
    fill: var(--focus);
    stroke: var(--sheet);
    stroke-width: 1.5;
  }
</style>
