<script lang="ts">
  /** Lines on the left, what they are about on the right, each joined by a route with
   * the gate on it: hosts, and what is run there as whom; claims on their way to a
   * relying party; policies and the systems at whose door they stand. */
  import Picture from '../parts/Picture.svelte';
  import { givesWords, object, objects, ruleOf, standsIn, text, texts, whenWords, whoWords } from '../lib/gates';
  import { tone, type GateProps } from '../lib/lit';
  import { fit } from '../lib/fit';
  import { fateWords } from '../lib/words';
  import type { Line, State } from '../api/client';
  import Gate from './Gate.svelte';

  let { system, lines, lit, chosen, href }: GateProps = $props();

  let width = $state(640);
  const row = 46;

  const titles: Record<string, string> = { hosts: 'Who logs in where, and runs what as whom', federation: 'Claims in, and who is let through', signin: 'What stands at the door of which system' };

  const parties = $derived(objects(system.document?.parties).map((p) => text(p.party)));

  /** What a line is about. */
  function ends(l: Line): string[] {
    const v = l.value ?? {};
    if (system.type === 'hosts') return texts(v.hosts);
    if (system.type === 'federation') return parties.filter((p, i) => ['claims', 'admit'].some((list) => standsIn(l, 'parties', [p, i], list)));
    return texts(v.apps);
  }
  function leave(l: Line): State {
    const v = l.value ?? {};
    if (v.effect === 'deny' || v.refuse || (v.then === 'block' && v.mode !== 'watch')) return 'shut';
    return v.when || object(v.then).require || v.mode === 'watch' ? 'depends' : 'open';
  }

  const objectsOf = $derived([...new Set(lines.flatMap(ends))]);
  const height = $derived(Math.max(lines.length * row, objectsOf.length * 40) + 24);
  const yOf = (i: number) => 24 + i * row;
  const objectY = (name: string) => 24 + (objectsOf.indexOf(name) + 0.5) * ((lines.length * row) / Math.max(1, objectsOf.length)) - 12;
  const gateX = $derived(width * 0.62);
  const objectX = $derived(width - Math.min(150, width * 0.2));
  const detail = (l: Line) => (system.type === 'hosts' && l.value?.commands ? `run ${texts(l.value.commands).join(', ')} as ${text(l.value.as)}` : system.type === 'hosts' ? 'login' : givesWords(system.type, l));
  const words = $derived(
    lines.map((l) => `${ruleOf(l.line)}: ${givesWords(system.type, l)}, for ${whoWords(object(l.value?.permit ?? l.value?.refuse ?? l.value))}, ${l.people} people${whenWords(l.value ?? {}) ? `, ${whenWords(l.value ?? {})}` : ''}.${lit?.get(l.line) ? ` Here: ${fateWords(lit.get(l.line)!.fate)}.` : ''}`),
  );
</script>

<Picture title={titles[system.type] ?? 'Lines, and what they are about'} {words} file="{system.system}-lines">
  <div bind:clientWidth={width}>
    <svg class="drawing" {width} {height} viewBox="0 0 {width} {height}" role="group" aria-label="{lines.length} lines and what they are about; the words below tell them">
      {#each lines as l, i (l.line)}
        {@const y = yOf(i)}
        {@const how = tone(lit, l.line)}
        <a href={href(l.line)} class={how} class:chosen={chosen === l.line} data-state={leave(l)}>
          <rect class="row" x="0" y={y - 18} width={gateX + 14} height={row - 6} />
          <text class="words bold" x="4" y={y - 2}>{fit(whoWords(object(l.value?.permit ?? l.value?.refuse ?? l.value)), gateX - 90, 7.2)}</text>
          <text class="soft" x="4" y={y + 15}>{fit(`${detail(l)}${whenWords(l.value ?? {}) ? ` · ${whenWords(l.value ?? {})}` : ''}`, gateX - 30)}</text>
          <text class="soft" x={gateX - 22} y={y - 2} text-anchor="end">{lit?.get(l.line) ? fateWords(lit.get(l.line)!.fate) : l.people}</text>
          {#each ends(l) as end (end)}
            {@const to = objectY(end)}
            <path class="route" d="M{gateX + 10} {y}C{(gateX + objectX) / 2} {y} {(gateX + objectX) / 2} {to} {objectX - 12} {to}" />
          {/each}
          <Gate x={gateX} {y} state={leave(l)} tone={how} />
        </a>
      {/each}
      {#each objectsOf as o (o)}
        <rect class="object" x={objectX - 6} y={objectY(o) - 6} width="12" height="12" />
        <text class="bold" x={objectX + 14} y={objectY(o) + 4}>{fit(o, width - objectX - 14)}</text>
      {/each}
    </svg>
  </div>
</Picture>

<style>
  .row {
    fill: transparent;
  }
  a:hover .row,
  .chosen .row,
  .decides .row {
    fill: var(--water-wash);
  }
  .route {
    stroke: var(--state);
    stroke-width: 1.8;
    fill: none;
  }
  [data-state='depends'] .route {
    stroke-dasharray: 6 5;
  }
  [data-state='shut'] .route {
    stroke-dasharray: 1 6;
  }
  .faded .route {
    stroke: var(--hair);
  }
  .faded text {
    fill: var(--ink-soft);
  }
  .object {
    fill: var(--sheet);
    stroke: var(--ink);
    stroke-width: 2;
  }
</style>
