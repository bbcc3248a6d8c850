<script lang="ts">
  /** Ordered rules as boards across a channel: what a rule permits leaves to the
   * right, what it refuses is held; what stands below a board that holds everything
   * is never reached. */
  import Picture from '../parts/Picture.svelte';
  import type { State } from '../api/client';
  import { givesWords, isOff, ruleOf, text, whenWords, whoWords } from '../lib/gates';
  import { tone, type GateProps } from '../lib/lit';
  import { fit } from '../lib/fit';
  import { fateWords } from '../lib/words';
  import Gate from './Gate.svelte';

  let { system, lines, never, lit, chosen, href }: GateProps = $props();

  const row = 46;
  const top = 30;
  const channel = 92;
  let width = $state(640);

  const kinds: Record<string, string> = { firewall: 'rules', network: 'policies' };
  const rules = $derived(lines.filter((l) => l.list === kinds[system.type]));
  const most = $derived(Math.max(1, ...rules.map((r) => r.people)));
  const permits = (v: Record<string, unknown> | undefined) => text(v?.action ?? v?.verdict) === 'permit' || text(v?.verdict) === 'admit';
  const flow = (people: number) => 1 + 9 * Math.sqrt(people / most);
  const height = $derived(top + rules.length * row + 44);
  const room = $derived(width - channel - 92);
  const end = $derived(text(system.document?.default) || 'refuse');
  // Where the drop of the probe stops: at the first rule that surely decides.
  const stops = $derived(lit ? rules.findIndex((r) => lit.get(r.line)?.fate === 'decides') : -1);
  const leave = (v: Record<string, unknown> | undefined): State => (!permits(v) ? 'shut' : v?.when ? 'depends' : 'open');
  const words = $derived(
    rules.map((r, i) => {
      const why = never.get(ruleOf(r.line));
      const fate = lit?.get(r.line);
      return `${i + 1}. ${ruleOf(r.line)}: ${givesWords(system.type, r)}, for ${whoWords(r.value ?? {})}, ${r.people} people${whenWords(r.value ?? {}) ? `, ${whenWords(r.value ?? {})}` : ''}.${isOff(r) ? ' It is switched off.' : ''}${why ? ` ${why.message}` : ''}${fate ? ` Here: ${fateWords(fate.fate)}.` : ''}`;
    }).concat(`Whatever is left: ${end}.`),
  );
</script>

<Picture title="The rules as a sluice, from top to bottom" {words} file="{system.system}-rules">
  <div bind:clientWidth={width}>
    <svg class="drawing" {width} {height} viewBox="0 0 {width} {height}" role="group" aria-label="{rules.length} rules in order; the words below tell them">
      <text class="soft" x={channel - 30} y="16" text-anchor="middle">traffic</text>
      <path class="bank" d="M{channel - 52} 22V{height - 34}M{channel - 8} 22V{height - 34}" />
      {#each rules as r, i (r.line)}
        {@const y = top + i * row + 14}
        {@const how = tone(lit, r.line)}
        {@const before = never.get(ruleOf(r.line))}
        {@const off = isOff(r)}
        {@const struck = off || before !== undefined}
        <a href={href(r.line)} class={how} class:chosen={chosen === r.line} class:struck>
          <rect class="row" x="0" y={y - 20} {width} height={row - 4} />
          <text class="soft" x="6" y={y + 4}>{i + 1}</text>
          {#if !off}
            <path class="board" class:full={!permits(r.value)} d="M{channel - 52} {y}H{channel - 8}" />
            {#if permits(r.value)}
              <path class="out" style:stroke-width={flow(r.people)} d="M{channel - 30} {y}H{channel + 22}" />
            {/if}
            <Gate x={channel + 36} {y} state={leave(r.value)} tone={how} />
          {/if}
          <text class="words bold" x={channel + 56} y={y - 3}>{fit(ruleOf(r.line), room, 7.2)}</text>
          <text class="soft" x={channel + 56} y={y + 14}>{fit(`${whoWords(r.value ?? {})} · ${givesWords(system.type, r)}${whenWords(r.value ?? {}) ? ` · ${whenWords(r.value ?? {})}` : ''}`, lit ? room - 150 : before?.shadowed ? room * 0.45 : room + 30)}</text>
          <text x={width - 8} y={y - 3} text-anchor="end">{off ? 'off' : r.people}</text>
          {#if struck}<path class="strike" d="M{channel + 54} {y - 7}H{Math.min(width - 48, channel + 62 + ruleOf(r.line).length * 7.4)}" />{/if}
          {#if before?.shadowed && !lit}<text class="fate" x={width - 8} y={y + 14} text-anchor="end">{fit(`never reached: ${before.by.join(', ')}`, room * 0.6)}</text>{/if}
          {#if lit?.get(r.line)}<text class="fate" x={width - 8} y={y + 14} text-anchor="end">{fateWords(lit.get(r.line)!.fate)}</text>{/if}
        </a>
      {/each}
      {#if stops >= 0}
        {@const y = top + stops * row + 14}
        <path class="drop" d="M{channel - 30} 22V{y}{permits(rules[stops]!.value) ? `H${channel + 24}` : ''}" />
      {/if}
      <text x={channel - 30} y={height - 12} text-anchor="middle" class="soft">{end === 'permit' ? 'through' : 'held'}</text>
      <text x={channel + 56} y={height - 12} class="soft">whatever is left: {end}</text>
    </svg>
  </div>
</Picture>

<style>
  .bank {
    stroke: var(--ink);
    stroke-width: 2;
    fill: none;
  }
  .row {
    fill: transparent;
  }
  a:hover .row,
  .chosen .row {
    fill: var(--water-wash);
  }
  .board {
    stroke: var(--ink-soft);
    stroke-width: 2;
    stroke-dasharray: 5 4;
    fill: none;
  }
  .board.full {
    stroke: var(--shut);
    stroke-width: 4;
    stroke-dasharray: none;
  }
  .out {
    stroke: var(--water);
    fill: none;
    opacity: 0.55;
  }
  .strike {
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .struck .out,
  .faded .out {
    stroke: var(--hair);
  }
  .struck .words,
  .faded text {
    fill: var(--ink-soft);
  }
  .decides .words {
    text-decoration: underline;
  }
  .decides .row {
    fill: var(--water-wash);
  }
  .drop {
    stroke: var(--focus);
    stroke-width: 4;
    stroke-linecap: round;
    fill: none;
  }
  .fate {
    fill: var(--ink-soft);
  }
  .decides .fate {
    fill: var(--ink);
    font-weight: 700;
  }
</style>
