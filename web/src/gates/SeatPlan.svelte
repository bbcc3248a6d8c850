<script lang="ts">
  /** Products with their features and seats: filled, free, and those who stand. */
  import Picture from '../parts/Picture.svelte';
  import { list, object, objects, ruleOf, text, texts, whoWords } from '../lib/gates';
  import { tone, type GateProps } from '../lib/lit';
  import { fit } from '../lib/fit';

  let { system, lines, lit, chosen, href }: GateProps = $props();

  let width = $state(640);
  const seat = 15;

  const products = $derived.by(() => {
    let y = 0;
    return objects(system.document?.products).map((p) => {
      const name = text(p.product);
      const taken = system.seats?.find((s) => s.product === name);
      const seats = Number(p.seats ?? 0);
      const holders = taken?.holders ?? 0;
      const features = list(p.features).map((f) => (typeof f === 'string' ? { name: f, needs: [] as string[] } : { name: text(object(f).feature), needs: texts(object(f).needs) }));
      const mappings = lines.filter((l) => text(l.value?.product) === name && l.list === 'mappings');
      const shown = seats ? Math.min(Math.max(seats, holders), 120) : 0;
      const perRow = Math.max(1, Math.floor((width - 20) / seat));
      const at = y;
      const height = 30 + (seats ? Math.ceil(shown / perRow) * seat + 26 : 10) + mappings.length * 24 + 76;
      y += height;
      return { name, seats, holders, features, mappings, shown, perRow, y: at, height };
    });
  });
  const height = $derived((products.at(-1)?.y ?? 0) + (products.at(-1)?.height ?? 40));
  const first = $derived(width * 0.5);
  const wide = $derived(Math.min(150, (width * 0.5) / Math.max(1, ...products.map((p) => p.features.length))));
  const words = $derived(
    products.flatMap((p) => [
      `${p.name}: ${p.seats ? `${p.holders} hold it, of ${p.seats} seats${p.holders > p.seats ? `; ${p.holders - p.seats} have no seat` : `; ${p.seats - p.holders} free`}` : 'no number of seats'}.`,
      `Features: ${p.features.map((f) => f.name + (f.needs.length ? ` (needs ${f.needs.join(', ')})` : '')).join(', ')}.`,
      ...p.mappings.map((l) => `${ruleOf(l.line)}: for ${whoWords(l.value ?? {})}, ${l.people} people${l.value?.without ? `, without ${texts(l.value.without).join(', ')}` : ''}.`),
    ]),
  );
</script>

<Picture title="Seats and features" {words} file="{system.system}-seats">
  <div bind:clientWidth={width}>
    <svg class="drawing" {width} {height} viewBox="0 0 {width} {height}" role="group" aria-label="{products.length} products; the words below tell them">
      {#each products as p (p.name)}
        {@const rows = p.seats ? Math.ceil(p.shown / p.perRow) * seat + 26 : 10}
        <g transform="translate(0 {p.y})">
          <text class="words bold" x="0" y="18">{p.name}</text>
          {#if p.seats}
            {#each Array.from({ length: p.shown }, (_, i) => i) as i (i)}
              <rect
                class:filled={i < Math.min(p.holders, p.seats)}
                class:over={i >= p.seats}
                x={(i % p.perRow) * seat + 2}
                y={30 + Math.floor(i / p.perRow) * seat}
                width={seat - 5}
                height={seat - 5}
                rx={i >= p.seats ? 5 : 0}
              />
            {/each}
            <text class:short={p.holders > p.seats} x="0" y={30 + rows - 8}>{p.holders} hold it, {p.seats} seats{p.holders > p.seats ? `: ${p.holders - p.seats} short` : `: ${p.seats - p.holders} free`}</text>
          {/if}
          {#each p.features as f, j (f.name)}
            <text class="soft" x={first + j * wide} y={30 + rows + 22} text-anchor="middle">{fit(f.name, wide - 6)}</text>
            {#if f.needs.length}<text class="soft" x={first + j * wide} y={30 + rows + 36} text-anchor="middle">{fit(`needs ${f.needs.join(', ')}`, wide)}</text>{/if}
          {/each}
          {#each p.mappings as l, i (l.line)}
            {@const y = 30 + rows + i * 24 + 58}
            <a href={href(l.line)} class={tone(lit, l.line)} class:chosen={chosen === l.line}>
              <path class="route" class:direct={l.value?.users} d="M2 {y - 4}H30" />
              <text x="38" y={y}>{fit(`${whoWords(l.value ?? {})} · ${l.people}`, first - wide / 2 - 40)}</text>
              {#each p.features as f, j (f.name)}<circle class:given={!texts(l.value?.without).includes(f.name)} cx={first + j * wide} cy={y - 4} r="5" />{/each}
            </a>
          {/each}
        </g>
      {/each}
    </svg>
  </div>
</Picture>

<style>
  rect {
    fill: none;
    stroke: var(--ink-soft);
  }
  .filled {
    fill: var(--open);
    stroke: var(--open);
  }
  .over {
    stroke: var(--shut);
    stroke-width: 2;
  }
  .short {
    fill: var(--shut) !important;
  }
  circle {
    fill: none;
    stroke: var(--hair);
    stroke-width: 2;
  }
  .given {
    fill: var(--open);
    stroke: var(--open);
  }
  .route {
    stroke: var(--ink-soft);
    stroke-width: 1.6;
    fill: none;
  }
  .direct {
    stroke-dasharray: 4 3;
  }
  .decides text,
  .chosen text {
    font-weight: 700;
    text-decoration: underline;
  }
  .decides .route {
    stroke: var(--open);
    stroke-width: 3;
  }
  .faded text {
    fill: var(--ink-soft);
  }
</style>
