<script lang="ts">
  /** Roles against actions: how far each role goes, as nested squares. */
  import Picture from '../parts/Picture.svelte';
  import { object, ruleOf, text, texts, whoWords } from '../lib/gates';
  import { tone, type GateProps } from '../lib/lit';
  import { fit } from '../lib/fit';

  let { system, lines, lit, chosen, href }: GateProps = $props();

  const breadths = ['none', 'own', 'team', 'all'];
  const left = 210;
  let room = $state(640);
  const columns = $derived(Object.entries(object(system.document?.modules)).flatMap(([module, actions]) => texts(actions).map((action) => ({ module, action }))));
  const roles = $derived(Object.entries(object(system.document?.roles)));
  const mappings = $derived(lines.filter((l) => l.value?.role));
  const of = (role: unknown, c: { module: string; action: string }) => text(object(object(role)[c.module])[c.action]);
  const top = 128;
  const cell = $derived(Math.max(36, Math.min(72, (room - left - 90) / Math.max(1, columns.length))));
  const width = $derived(Math.max(room, left + columns.length * cell + 90));
  const rows = $derived(
    roles.map(([name, role]) => ({ name, role, lines: mappings.filter((l) => text(l.value?.role) === name) })),
  );
  const tops = $derived(rows.reduce<number[]>((y, r) => [...y, y.at(-1)! + 46 + Math.max(0, r.lines.length - 1) * 18], [top]));
  const height = $derived(tops.at(-1)! + 50);
  const words = $derived([
    ...rows.flatMap((r) => [
      `Role ${r.name}: ${columns.filter((c) => of(r.role, c)).map((c) => `${c.module} ${c.action} ${of(r.role, c)}`).join(', ') || 'no opinion on anything'}.`,
      ...r.lines.map((l) => `${ruleOf(l.line)} gives it to ${whoWords(l.value ?? {})}, ${l.people} people.`),
    ]),
    `Of several opinions the ${text(system.document?.merge) || 'widest'} counts.`,
  ]);
</script>

<Picture title="How far each role goes" {words} file="{system.system}-breadth">
  <div bind:clientWidth={room}>
  <svg class="drawing" {width} {height} viewBox="0 0 {width} {height}" role="group" aria-label="{roles.length} roles against {columns.length} actions; the words below tell them">
    {#each columns as c, i (c.module + c.action)}
      <text x={left + i * cell + 14} y={top - 14} transform="rotate(-50 {left + i * cell + 14} {top - 14})">{c.module} <tspan class="bold">{c.action}</tspan></text>
      <path class="grid" d="M{left + i * cell + 12} {top - 8}V{height - 50}" />
    {/each}
    {#each rows as r, i (r.name)}
      {@const y = tops[i]!}
      <path class="grid" d="M0 {y}H{width}" />
      <text class="words bold" x="0" y={y + 17}>{r.name}</text>
      {#each r.lines as l, n (l.line)}
        <a href={href(l.line)} class={tone(lit, l.line)} class:chosen={chosen === l.line}>
          <text x="0" y={y + 34 + n * 18}>{fit(`← ${whoWords(l.value ?? {})} · ${l.people}`, left - 8)}</text>
        </a>
      {/each}
      {#each columns as c, j (c.module + c.action)}
        {@const wide = breadths.indexOf(of(r.role, c))}
        <g transform="translate({left + j * cell + 12} {y + 20})">
          {#each [1, 2, 3] as level (level)}
            <rect class="ring" class:held={wide >= level} x={-4 * level} y={-4 * level} width={8 * level} height={8 * level} />
          {/each}
          {#if wide === 0}<path class="never" d="M-10 -10L10 10" />{/if}
        </g>
      {/each}
    {/each}
    <text class="soft" x="0" y={height - 26}>{fit('from the middle out: own, team, all · struck: none, said outright', width)}</text>
    <text class="soft" x="0" y={height - 8}>of several opinions the {text(system.document?.merge) || 'widest'} counts</text>
  </svg>
  </div>
</Picture>

<style>
  .grid {
    stroke: var(--hair);
    fill: none;
  }
  .ring {
    fill: none;
    stroke: var(--hair);
  }
  .ring.held {
    stroke: var(--open);
    stroke-width: 2.4;
  }
  .never {
    stroke: var(--shut);
    stroke-width: 2.4;
  }
  .decides text,
  .chosen text {
    font-weight: 700;
    text-decoration: underline;
  }
  .faded text {
    fill: var(--ink-soft);
  }
</style>
