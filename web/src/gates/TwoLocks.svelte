<script lang="ts">
  /** Two locks on a folder: the door of the share, and the entries of the folder. */
  import Picture from '../parts/Picture.svelte';
  import type { Line } from '../api/client';
  import { objects, ruleOf, standsIn, text, texts, whoWords } from '../lib/gates';
  import { tone, type GateProps } from '../lib/lit';
  import { fit } from '../lib/fit';
  import { fateWords } from '../lib/words';
  import Gate from './Gate.svelte';

  let { system, lines, lit, chosen, href }: GateProps = $props();

  let width = $state(640);
  const row = 26;
  const door = 30;

  interface Row {
    y: number;
    label: string;
    depth: number;
    inherits: boolean;
    head: boolean;
    line?: Line;
  }

  const shares = $derived.by(() => {
    let y = 8;
    return objects(system.document?.shares).map((s, n) => {
      const begin = y;
      const rows: Row[] = [];
      const add = (label: string, depth: number, head: boolean, inherits = true, line?: Line) => {
        y += row;
        rows.push(line ? { y, label, depth, head, inherits, line } : { y, label, depth, head, inherits });
      };
      const share = [text(s.share), n] as const;
      y += 26;
      add('at the door', 0, true);
      for (const l of lines.filter((x) => standsIn(x, 'shares', share, 'door'))) add('', 0, false, true, l);
      y += 8;
      objects(s.folders).forEach((f, i) => {
        const path = text(f.path);
        const depth = path === '/' ? 1 : path.split('/').length;
        add(path, depth, true, f.inherits !== false);
        for (const l of lines.filter((x) => standsIn(x, 'shares', share, 'folders', [path, i], 'entries'))) add('', depth, false, true, l);
      });
      const end = y + 14;
      y = end + 16;
      return { name: text(s.share), path: text(s.path), rows, begin, end };
    });
  });
  const height = $derived((shares.at(-1)?.end ?? 20) + 8);
  const allows = (l: Line) => [texts(l.value?.allow).join(', '), l.value?.deny ? `not ${texts(l.value.deny).join(', ')}` : ''].filter(Boolean).join('; ');
  const words = $derived(
    shares.flatMap((s) => [
      `Share ${s.name} at ${s.path}.`,
      ...s.rows.map((r) => (r.line ? `${ruleOf(r.line.line)}: ${allows(r.line)} for ${whoWords(r.line.value ?? {})}, ${r.line.people} people.${lit?.get(r.line.line) ? ` Here: ${fateWords(lit.get(r.line.line)!.fate)}.` : ''}` : `${r.label}${r.inherits ? '' : ', takes nothing from above'}:`)),
    ]),
  );
</script>

<Picture title="Two locks: the door of the share, then the folder" {words} file="{system.system}-locks">
  <div bind:clientWidth={width}>
    <svg class="drawing" {width} {height} viewBox="0 0 {width} {height}" role="group" aria-label="{shares.length} shares; the words below tell their locks">
      {#each shares as s (s.name)}
        <rect class="share" x="1" y={s.begin} width={width - 2} height={s.end - s.begin} />
        <text class="words bold" x="14" y={s.begin + 22}>{s.name} <tspan class="soft">{s.path}</tspan></text>
        {#each s.rows as r, i (i)}
          {@const x = door + r.depth * 22}
          {#if r.head}
            {#if r.depth > 1}<path class="branch" class:cut={!r.inherits} d="M{x - 22 - 6} {r.y - 22}V{r.y - 5}H{x - 8}" />{/if}
            {#if !r.inherits}<path class="seal" d="M{x - 15} {r.y - 13}v16M{x - 10} {r.y - 13}v16" />{/if}
            <text class:bold={r.depth > 0} class:soft={r.depth === 0} {x} y={r.y}>{r.label}{#if !r.inherits}<tspan class="soft" dx="10">takes nothing from above</tspan>{/if}</text>
          {:else if r.line}
            {@const l = r.line}
            {@const how = tone(lit, l.line)}
            <a href={href(l.line)} class={how} class:chosen={chosen === l.line}>
              <rect class="row" x={x} y={r.y - 18} width={Math.max(0, width - x - 8)} height={row - 1} />
              <Gate x={x + 16} y={r.y - 5} state={l.value?.deny ? 'shut' : 'open'} tone={how} />
              <text x={x + 36} y={r.y}>{fit(`${allows(l)} ← ${whoWords(l.value ?? {})}`, width - x - (lit ? 230 : 100))}</text>
              <text class="soft" x={width - 12} y={r.y} text-anchor="end">{lit?.get(l.line) ? fateWords(lit.get(l.line)!.fate) : l.people}</text>
            </a>
          {/if}
        {/each}
      {/each}
    </svg>
  </div>
</Picture>

<style>
  .share {
    fill: none;
    stroke: var(--ink-soft);
  }
  .branch {
    stroke: var(--ink-soft);
    fill: none;
  }
  .branch.cut {
    stroke-dasharray: 2 4;
  }
  .seal {
    stroke: var(--shut);
    stroke-width: 2.6;
    fill: none;
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
