<script lang="ts">
  /** When: a day of a week and a time on its strip, on the map's wall clock. */
  import type { MapInfo } from '../api/client';
  import { situation } from '../lib/situation.svelte';
  import { clock, dayNames, days, instantOf, plusDays, wallOf } from '../lib/time';
  import DayStrip from './DayStrip.svelte';

  let { map }: { map: MapInfo } = $props();

  const at = $derived(situation.get('at'));
  const given = $derived(at && !Number.isNaN(Date.parse(at)) ? wallOf(new Date(at), map.time_zone) : null);
  const wall = $derived(given ?? wallOf(new Date(), map.time_zone));
  const monday = $derived(plusDays(wall.date, -wall.day));

  function pick(date: string, minute: number) {
    situation.set({ at: instantOf(date, minute, map.time_zone).toISOString().replace('.000Z', 'Z') });
  }
</script>

<fieldset>
  <legend>
    Time
    <output class="figures">{given ? `${wall.date} ${clock(wall.minute)}` : 'any'}</output>
  </legend>
  <div class="days">
    <button aria-pressed={!given} onclick={() => situation.set({ at: '' })}>any</button>
    <button class="week" aria-label="Week before" onclick={() => pick(plusDays(wall.date, -7), wall.minute)}>‹</button>
    {#each days as day, i (day)}
      {@const date = plusDays(monday, i)}
      <button
        aria-pressed={!!given && wall.day === i}
        aria-label="{day} {Number(date.slice(8))}, {dayNames[i]} {date}"
        onclick={() => pick(date, wall.minute - (wall.minute % 15))}>{day} <small>{Number(date.slice(8))}</small></button
      >
    {/each}
    <button class="week" aria-label="Week after" onclick={() => pick(plusDays(wall.date, 7), wall.minute)}>›</button>
  </div>
  <DayStrip day={wall.day} minute={given ? wall.minute : null} windows={map.windows} onpick={(m) => pick(wall.date, m)} />
</fieldset>

<style>
  fieldset {
    border: 0;
    margin: 0;
    padding: 0;
    min-width: 0;
  }
  legend {
    padding: 0;
    font-weight: 700;
    font-size: var(--small);
  }
  output {
    color: var(--ink-soft);
    font-weight: 400;
    margin-left: var(--s2);
  }
  .days {
    display: flex;
    flex-wrap: wrap;
    margin-bottom: var(--s2);
  }
  button {
    border: 1px solid var(--hair);
    margin-left: -1px;
    background: var(--sheet);
    padding: 0 var(--s2);
    min-height: 1.75rem;
    min-width: 1.75rem;
    font-size: var(--small);
    cursor: pointer;
  }
  button:hover {
    background: var(--water-wash);
  }
  button[aria-pressed='true'] {
    background: var(--water);
    color: var(--sheet);
    border-color: var(--water);
  }
  small {
    opacity: 0.85;
  }
  button:first-child {
    margin-right: var(--s2);
  }
</style>
