<script lang="ts">
  /** Roles on a tree of resources: what is sealed takes nothing from above. */
  import Picture from '../parts/Picture.svelte';
  import type { Line } from '../api/client';
  import { givesWords, object, objects, ruleOf, text, texts, whenWords, whoWords } from '../lib/gates';
  import { tone, type GateProps } from '../lib/lit';
  import { fit } from '../lib/fit';
  import { fateWords } from '../lib/words';
  import Gate from './Gate.svelte';

  let { system, lines, lit, chosen, href }: GateProps = $props();

  let width = $state(640);
  const indent = 26;
  const row = 28;

  interface Place {
    path: string;
    depth: number;
    sealed: boolean;
    tags: string;
    y: number;
    parent: number;
    lines: Line[];
  }

  const places = $derived.by(() => {
    const paths = objects(system.document?.resources).sort((a, b) => (text(a.path) < text(b.path) ? -1 : 1));
    const all: Place[] = [];
    let y = 22;
    for (const r of paths) {
      const path = text(r.path);
      let parent = all.length - 1;
      while (parent >= 0 && all[parent]!.path !== '/' && !path.startsWith(`${all[parent]!.path}/`)) parent = all[parent]!.parent;
      const here = lines.filter((l) => text(l.value?.object) === path);
      all.push({ path, depth: parent < 0 ? 0 : all[parent]!.depth + 1, sealed: r.sealed === true, tags: Object.entries(object(r.tags)).map(([k, v]) => `${k}: ${text(v)}`).join(', '), y, parent, lines: here });
      y += row * (1 + here.length) + 6;
    }
    return all;
  });
  const height = $derived((places.at(-1)?.y ?? 0) + row * (1 + (places.at(-1)?.lines.length ?? 0)));
  const x = (depth: number) => 16 + depth * indent;
  const leave = (l: Line) => (l.value?.effect === 'deny' || l.list === 'limits' ? 'shut' : l.value?.when || l.value?.where ? 'depends' : 'open');
  const words = $derived([
    ...texts(system.document?.everyone_has).map((r) => `Everyone has the role ${r} on /.`),
    ...places.flatMap((p) => [
      `${p.path}${p.sealed ? ', sealed: it takes nothing from above' : ''}${p.tags ? `, ${p.tags}` : ''}.`,
      ...p.lines.map((l) => `${ruleOf(l.line)} on ${p.path}: ${givesWords('roles', l)}, for ${whoWords(l.value ?? {})}, ${l.people} people${whenWords(l.value ?? {}) ? `, ${whenWords(l.value ?? {})}` : ''}.${lit?.get(l.line) ? ` Here: ${fateWords(lit.get(l.line)!.fate)}.` : ''}`),
    ]),
  ]);
</script>

<Picture title="The tree of resources, with who is let in where" {words} file="{system.system}-resources">
  <div bind:clientWidth={width}>
    <svg class="drawing" {width} {height} viewBox="0 0 {width} {height}" role="group" aria-label="{places.length} resources; the words below tell them">
      {#each places as p (p.path)}
        {#if p.parent >= 0}
          {@const from = places[p.parent]!}
          <path class="branch" class:sealed={p.sealed} d="M{x(from.depth)} {from.y + 8}V{p.y}H{x(p.depth) - 8}" />
          {#if p.sealed}<path class="seal" d="M{x(p.depth) - 15} {p.y - 9}v18M{x(p.depth) - 10} {p.y - 9}v18" />{/if}
        {/if}
        <rect class="place" x={x(p.depth) - 6} y={p.y - 6} width="12" height="12" />
        <text class="words bold" x={x(p.depth) + 14} y={p.y + 5}>{fit(p.path, width - x(p.depth) - 160, 7.5)}{#if p.sealed}<tspan class="soft" dx="10">sealed</tspan>{/if}{#if p.tags}<tspan class="soft" dx="10">{p.tags}</tspan>{/if}</text>
        {#each p.lines as l, i (l.line)}
          {@const y = p.y + row * (i + 1)}
          {@const how = tone(lit, l.line)}
          <a href={href(l.line)} class={how} class:chosen={chosen === l.line}>
            <rect class="row" x={x(p.depth) + 14} y={y - 13} width={Math.max(0, width - x(p.depth) - 14)} height={row - 2} />
            <Gate x={x(p.depth) + 30} {y} state={leave(l)} tone={how} />
            <text x={x(p.depth) + 48} y={y + 4}>{fit(`${text(l.value?.role) || texts(l.value?.rights).join(', ')} ← ${whoWords(l.value ?? {})}${whenWords(l.value ?? {}) ? ` · ${whenWords(l.value ?? {})}` : ''}`, width - x(p.depth) - (lit ? 240 : 100))}</text>
            <text class="soft" x={width - 6} y={y + 4} text-anchor="end">{lit?.get(l.line) ? fateWords(lit.get(l.line)!.fate) : l.people}</text>
          </a>
        {/each}
      {/each}
    </svg>
  </div>
</Picture>

<style>
  .branch {
    stroke: var(--ink-soft);
    stroke-width: 1.5;
    fill: none;
  }
  .branch.sealed {
    stroke-dasharray: 2 5;
  }
  .seal {
    stroke: var(--shut);
    stroke-width: 2.6;
    fill: none;
  }
  .place {
    fill: var(--sheet);
    stroke: var(--ink);
    stroke-width: 2;
  }
  .row {
    fill: transparent;
  }
  a:hover .row,
  .chosen .row,
  .decides .row {
    fill: var(--water-wash);
  }
  .faded text {
    fill: var(--ink-soft);
  }
</style>
