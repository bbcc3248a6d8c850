<script lang="ts">
  /** A group between what it holds and what holds it, and the gates that it comes to. */
  import { linkHorizontal } from 'd3-shape';
  import type { GroupInfo, Line, Member } from '../api/client';
  import Gate from '../gates/Gate.svelte';
  import { givesWords } from '../lib/gates';
  import { fit } from '../lib/fit';
  import { links } from '../lib/place.svelte';
  import Picture from './Picture.svelte';

  let { group, opens, members }: { group: GroupInfo; opens: readonly Line[]; members: readonly Member[] } = $props();

  const most = 14;
  const row = 26;
  let width = $state(800);
  const bare = (full: string) => full.slice(full.indexOf('/') + 1);
  const join = linkHorizontal<unknown, [number, number]>();

  const listed = $derived(members.filter((m) => m.path.length <= 1).length);
  const inside = $derived([
    ...(listed ? [{ label: `${listed} ${group.rule ? 'by the rule' : 'listed'}`, href: '' }] : []),
    ...group.groups.slice(0, most).map((g) => ({ label: bare(g), href: links.group(g) })),
  ]);
  const systems = $derived.by(() => {
    const found = new Map<string, { system: string; what: string[]; direct: boolean; always: boolean; gives: boolean }>();
    for (const l of opens) {
      const s = found.get(l.system) ?? { system: l.system, what: [], direct: false, always: false, gives: false };
      s.what.push(givesWords(l.type, l));
      const gives = !(l.value?.effect === 'deny' || l.value?.action === 'refuse' || l.value?.verdict === 'refuse' || l.value?.deny || l.value?.refuse);
      s.gives ||= gives;
      s.always ||= gives && !l.value?.when;
      s.direct ||= l.groups.includes(group.group);
      found.set(l.system, s);
    }
    return [...found.values()].slice(0, most);
  });
  const outer = $derived(group.member_of.slice(0, most));
  const rows = $derived(Math.max(1, inside.length, systems.length + outer.length + (outer.length ? 1 : 0)));
  const height = $derived(rows * row + 40);
  const mid = $derived(width * 0.36);
  const centre = $derived(20 + (rows * row) / 2);
  const y = (i: number, n: number) => 20 + (i + 0.5) * ((rows * row) / Math.max(1, n));
  const right = $derived([...systems.map((s) => ({ system: s, outer: '' })), ...outer.map((o) => ({ system: null, outer: o }))]);
  const words = $derived([
    `${group.members} people are in ${group.group}${group.groups.length ? `, ${group.groups.length} groups among them: ${group.groups.join(', ')}` : ''}.`,
    ...(group.member_of.length ? [`It is in ${group.member_of.join(', ')}.`] : []),
    ...systems.map((s) => `It comes to ${s.system}: ${s.what.join('; ')}${s.direct ? '' : ', by way of a group that holds it'}.`),
  ]);
</script>

<Picture title="What is in it, and what it leads to" {words} file={bare(group.group)}>
  <div bind:clientWidth={width}>
    <svg class="drawing" {width} {height} viewBox="0 0 {width} {height}" role="group" aria-label="The group between what it holds and what it opens; the words below tell it">
      {#each inside as g, i (g.label)}
        <path class="way" d={join({ source: [mid - 150, y(i, inside.length)], target: [mid - 12, centre] })} />
        {#if g.href}
          <a href={g.href}><circle class="group" cx={mid - 154} cy={y(i, inside.length)} r="4.5" /><text x={mid - 166} y={y(i, inside.length) + 4} text-anchor="end">{fit(g.label, mid - 170)}</text></a>
        {:else}
          <circle class="people" cx={mid - 154} cy={y(i, inside.length)} r="5.5" /><text x={mid - 166} y={y(i, inside.length) + 4} text-anchor="end">{g.label}</text>
        {/if}
      {/each}
      {#each right as r, i (r.system?.system ?? r.outer)}
        {@const at = y(i, right.length)}
        <path class="way" class:thin={r.system && !r.system.direct} d={join({ source: [mid + 12, centre], target: [mid + 190, at] })} />
        {#if r.system}
          <a href={links.system(r.system.system)}>
            <Gate x={mid + 202} y={at} state={!r.system.gives ? 'shut' : r.system.always ? 'open' : 'depends'} />
            <text class="words bold" x={mid + 222} y={at + 4}>{r.system.system} <tspan class="soft">{fit(r.system.what.join('; '), width - mid - 240 - r.system.system.length * 8)}</tspan></text>
          </a>
        {:else}
          <a href={links.group(r.outer)}><circle class="group" cx={mid + 200} cy={at} r="4.5" /><text x={mid + 222} y={at + 4}>is in {fit(bare(r.outer), width - mid - 270)}</text></a>
        {/if}
      {/each}
      <circle class="self" cx={mid} cy={centre} r="9" />
      <text class="words bold" x={mid} y={centre - 18} text-anchor="middle">{fit(bare(group.group), 280, 7.5)}</text>
      <text class="soft" x={mid} y={centre + 28} text-anchor="middle">{group.members} people</text>
      {#if group.groups.length > most}<text class="soft" x="4" y={height - 4}>and {group.groups.length - most} more groups in it</text>{/if}
    </svg>
  </div>
</Picture>

<style>
  .way {
    fill: none;
    stroke: var(--ink-soft);
    stroke-width: 1.8;
  }
  .thin {
    stroke-dasharray: 4 4;
  }
  .group {
    fill: var(--sheet);
    stroke: var(--ink);
    stroke-width: 1.8;
  }
  .people {
    fill: var(--ink);
  }
  .self {
    fill: var(--sheet);
    stroke: var(--ink);
    stroke-width: 3.5;
  }
</style>
