<script lang="ts">
  /** The whole map: groups on the left, the gates of systems on the right, each joined
   * by a route as wide as it has people. What stands in front of a system is tied to
   * it on the far right. */
  import { scaleSqrt } from 'd3-scale';
  import { linkHorizontal } from 'd3-shape';
  import type { Chart } from '../api/client';
  import { fit } from '../lib/fit';
  import { links, place } from '../lib/place.svelte';
  import Gate from '../gates/Gate.svelte';
  import Picture from './Picture.svelte';

  let { chart, errors }: { chart: Chart; errors: ReadonlyMap<string, number> } = $props();

  const most = 26;
  let width = $state(800);
  let over = $state('');
  const row = 27;
  const top = 34;

  const groupX = $derived(Math.min(250, width * 0.3));
  const gateX = $derived(width - Math.min(330, width * 0.36));
  const groupY = (i: number) => top + (i + 0.5) * ((height - top - 24) / Math.max(1, groups.length));
  const systemY = (i: number) => top + (i + 0.5) * ((height - top - 24) / Math.max(1, systems.length));
  // Of many systems those with most people are drawn.
  const systems = $derived.by(() => {
    const first = new Set([...chart.systems].sort((a, b) => b.people - a.people).slice(0, most));
    return chart.systems.filter((s) => first.has(s));
  });
  const drawn = $derived(chart.links.filter((l) => systems.some((s) => s.system === l.system)));
  // Groups stand near the systems to which they lead, so that routes cross less.
  const groups = $derived.by(() => {
    const middle = new Map(chart.groups.map((g) => {
      const to = drawn.filter((l) => l.group === g.group).map((l) => systems.findIndex((s) => s.system === l.system));
      return [g.group, to.reduce((a, b) => a + b, 0) / Math.max(1, to.length)];
    }));
    return chart.groups.filter((g) => drawn.some((l) => l.group === g.group)).sort((a, b) => middle.get(a.group)! - middle.get(b.group)! || b.people - a.people);
  });
  const height = $derived(top + Math.max(groups.length * row, systems.length * 44) + 24);
  const more = $derived(chart.left + chart.groups.length - groups.length);
  // Names that people have in common are shown as they are, and those of groups without their directory.
  const label = (g: Chart['groups'][number]) => (g.kind === 'people' ? g.group || 'none' : bare(g.group));
  const goes = (g: Chart['groups'][number]) => (g.kind === 'people' ? place.to('/people', { find: g.group }) : g.kind === 'user' ? links.person(g.group) : links.group(g.group));
  const enters = (s: Chart['systems'][number]) => (s.systems ? place.to('/', { by: chart.by, type: s.type }) : links.system(s.system));
  const weight = $derived(scaleSqrt([0, Math.max(1, ...chart.groups.map((g) => g.people))], [0.8, 9]));
  const join = linkHorizontal<unknown, [number, number]>();
  const routes = $derived(
    drawn.map((l) => {
      const from = groups.findIndex((g) => g.group === l.group);
      const to = systems.findIndex((s) => s.system === l.system);
      return { ...l, path: join({ source: [groupX + 10, groupY(from)], target: [gateX - 12, systemY(to)] }) ?? '', width: weight(l.people) };
    }),
  );
  const fronts = $derived(
    systems.flatMap((s, i) => s.behind.map((b) => ({ from: systems.findIndex((x) => x.system === b), to: i, name: `${b} is in front of ${s.system}` }))).filter((f) => f.from >= 0),
  );
  const bare = (full: string) => full.slice(full.indexOf('/') + 1);
  const count = (n: number) => n.toLocaleString('en');
  // The more routes there are, the fainter is each.
  const ink = $derived(Math.max(0.08, Math.min(0.38, 30 / Math.max(1, routes.length))));
  const summed = $derived(chart.systems.some((s) => s.systems));
  const lit = (l: { group: string; system: string }) => over === '' || over === l.group || over === l.system;
  const words = $derived(
    systems.map((s) => `${s.system} (${s.systems ? `${s.systems} systems` : s.type}): ${count(s.people)} people, ${count(s.lines)} lines, by ${chart.links.filter((l) => l.system === s.system).map((l) => (chart.by === 'group' ? l.group : `${l.group || 'none'} (${count(l.people)})`)).join(', ') || 'no group'}${s.everyone ? ', and lines for everyone' : ''}${s.behind.length ? `; behind ${s.behind.join(', ')}` : ''}${errors.get(s.system) ? `; ${errors.get(s.system)} errors` : ''}.`),
  );
</script>

<Picture title={chart.by === 'group' ? 'Groups, the gates that they come to, and the systems behind' : 'People, and the gates that they come to'} {words} file="chart">
  <div bind:clientWidth={width}>
    <svg class="drawing" {width} {height} viewBox="0 0 {width} {height}" role="group" aria-label="{groups.length} {chart.by === 'group' ? 'groups' : `kinds of people by ${chart.by}`} and {systems.length} systems; the words below tell them">
      <text class="soft" x={groupX} y="16" text-anchor="end">{chart.by === 'group' ? 'groups, with people' : `people by ${chart.by}`}</text>
      <text class="soft" x={gateX + 22} y="16">{summed ? 'types of gates' : 'gates and systems'}</text>
      {#each routes as r (r.group + r.system)}
        <path class="route" d={r.path} style:stroke-width={r.width} style:stroke-opacity={lit(r) ? ink : ink / 5} />
      {/each}
      {#each fronts as f (f.name)}
        <path class="front" class:dim={over !== '' && systems[f.to]!.system !== over && systems[f.from]!.system !== over} d="M{width - 34} {systemY(f.from) + 4}C{width + 4} {systemY(f.from)} {width + 4} {systemY(f.to)} {width - 34} {systemY(f.to) - 4}" />
      {/each}
      {#each groups as g, i (g.group)}
        <a href={goes(g)} onmouseenter={() => (over = g.group)} onmouseleave={() => (over = '')} onfocus={() => (over = g.group)} onblur={() => (over = '')}>
          <rect class="hit" x="0" y={groupY(i) - 12} width={groupX + 14} height="24" />
          <circle class="group" cx={groupX + 6} cy={groupY(i)} r="4.5" />
          <text x={groupX - 6} y={groupY(i) + 4} text-anchor="end">{fit(label(g), groupX - 50 - 7 * Math.max(0, count(g.people).length - 3))} <tspan class="soft">{count(g.people)}</tspan></text>
        </a>
      {/each}
      {#each systems as s, i (s.system)}
        <a href={enters(s)} onmouseenter={() => (over = s.system)} onmouseleave={() => (over = '')} onfocus={() => (over = s.system)} onblur={() => (over = '')}>
          <rect class="hit" x={gateX - 12} y={systemY(i) - 20} width={width - gateX - 18} height="40" />
          <Gate x={gateX} y={systemY(i)} state={s.behind.length ? 'depends' : 'open'} />
          <text class="words bold" x={gateX + 22} y={systemY(i) - 1}>{fit(s.system, 190, 7.5)}{#if errors.get(s.system)}<tspan class="wrong" dx="8">{errors.get(s.system)} {errors.get(s.system) === 1 ? 'error' : 'errors'}</tspan>{/if}</text>
          <text class="soft" x={gateX + 22} y={systemY(i) + 15}>{s.systems ? `${s.systems} ${s.systems === 1 ? 'system' : 'systems'}` : s.type} · {count(s.people)} people{s.everyone ? ' · everyone' : ''}</text>
        </a>
      {/each}
      {#if more}<text class="soft" x={groupX} y={height - 6} text-anchor="end">and {more} more {chart.by === 'group' ? 'groups' : ''}</text>{/if}
      {#if chart.systems.length > systems.length}<a href={place.to('/systems')}><text x={gateX + 22} y={height - 6}>and {chart.systems.length - systems.length} more systems</text></a>{/if}
    </svg>
  </div>
</Picture>

<style>
  .route {
    fill: none;
    stroke: var(--water);
  }
  .dim {
    stroke-opacity: 0.07;
  }
  .front {
    fill: none;
    stroke: var(--depends);
    stroke-width: 1.6;
    stroke-dasharray: 5 4;
  }
  .group {
    fill: var(--sheet);
    stroke: var(--ink);
    stroke-width: 1.8;
  }
  .hit {
    fill: transparent;
  }
  .wrong {
    fill: var(--shut);
    font: 400 0.8125rem var(--figures);
  }
</style>
