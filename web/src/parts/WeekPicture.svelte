<script lang="ts">
  /** A week, to the second: when each thing is open. Weeks that are alike share a line. */
  import { api, type Hours } from '../api/client';
  import { ask } from '../lib/ask';
  import { fit } from '../lib/fit';
  import { place } from '../lib/place.svelte';
  import { situation } from '../lib/situation.svelte';
  import { dayNames, days } from '../lib/time';
  import { weekLines, weekWords } from '../lib/week';
  import Notice from './Notice.svelte';
  import Picture from './Picture.svelte';

  let { user }: { user: string } = $props();

  let hours = $state.raw<Hours | null>(null);
  let wrong = $state('');
  let width = $state(800);

  $effect(() => {
    void situation.key;
    void place.get('trial');
    return ask(
      (stop) => api.hours(user, { ...situation.facts, at: situation.get('at') || new Date().toISOString() }, stop),
      (got) => ((hours = got), (wrong = '')),
      (error) => (wrong = error.message),
    );
  });

  const lines = $derived(hours ? weekLines(hours.weeks, hours.monday) : []);
  const varying = $derived(lines.filter((l) => l.runs.length > 1));
  const steady = $derived(lines.filter((l) => l.runs.length === 1));
  const left = $derived(Math.min(300, width * 0.34));
  const x = (h: number) => left + (h / 168) * (width - left - 2);
  const row = 24;
  const shown = $derived([...varying, ...steady]);
  const height = $derived(30 + shown.length * row + 8);
  const words = $derived(shown.map((l) => `${l.labels.join(', ')}: ${weekWords(l.runs)}.`));
</script>

{#if wrong}<Notice kind="wrong" title="No week">{wrong}</Notice>
{:else if !hours}<Notice kind="wait" title="Computing the week …" />
{:else if shown.length === 0}<Notice kind="empty" title="Holds nothing in this week" />
{:else}
  <Picture title="The week of {hours.monday}, in {hours.time_zone}" {words} file="week">
    <div bind:clientWidth={width}>
      <svg class="drawing" {width} {height} viewBox="0 0 {width} {height}" role="img" aria-label="{shown.length} lines through a week; the words below tell them">
        {#each days as d, i (d)}
          <path class="day" d="M{x(i * 24)} 16V{height - 6}" />
          <text x={x(i * 24 + 12)} y="14" text-anchor="middle" class="soft">{width > 700 ? dayNames[i] : d}</text>
        {/each}
        {#each shown as l, i (l.labels[0])}
          {@const y = 26 + i * row}
          <text x="0" y={y + 13}><title>{l.labels.join('\n')}</title>{fit(l.labels[0]!, left - (l.labels.length > 1 ? 56 : 12))}{#if l.labels.length > 1}<tspan class="soft" dx="6">+{l.labels.length - 1}</tspan>{/if}</text>
          {#each l.runs as r (r.from)}
            <rect data-state={r.state} x={x(r.from)} y={y + (r.state === 'open' ? 2 : r.state === 'depends' ? 6 : 10)} width={Math.max(1, x(r.to) - x(r.from) - 0.5)} height={r.state === 'open' ? 16 : r.state === 'depends' ? 8 : 1.5} />
          {/each}
        {/each}
      </svg>
    </div>
    <p class="soft">High: open. Half: depends. A thin line: shut.</p>
  </Picture>
{/if}

<style>
  .day {
    stroke: var(--hair);
    fill: none;
  }
  rect {
    fill: var(--state);
  }
  p {
    font-size: var(--small);
  }
</style>
