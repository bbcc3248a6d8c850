<script lang="ts">
  /** The contour lines of a hill with a path up to a gate: decoration only. */
  const rings = [0, 1, 2, 3, 4, 5, 6, 7];
  const lobes = [1, 0.86, 1.04, 0.92, 1.12, 0.95, 0.84, 1.06, 0.9, 1.02];

  function ring(level: number): string {
    const points = lobes.map((lobe, i) => {
      const angle = (i / lobes.length) * 2 * Math.PI;
      const r = (330 - level * 38) * (lobe + 0.05 * Math.sin(level * 0.9 + i));
      return [560 + level * 6 + r * 1.25 * Math.cos(angle), 330 - level * 8 + r * 0.8 * Math.sin(angle)] as const;
    });
    const mid = (a: readonly [number, number], b: readonly [number, number]) => `${(a[0] + b[0]) / 2} ${(a[1] + b[1]) / 2}`;
    const last = points.at(-1)!;
    return points.reduce(
      (d, p, i) => d + ` Q${p[0]} ${p[1]} ${mid(p, points[(i + 1) % points.length]!)}`,
      `M${mid(last, points[0]!)}`,
    );
  }
</script>

<svg viewBox="0 0 1000 660" preserveAspectRatio="xMidYMid slice" aria-hidden="true">
  {#each rings as level (level)}<path class:index={level % 4 === 0} d={ring(level)} />{/each}
</svg>

<style>
  svg {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    z-index: -1;
  }
  path {
    fill: none;
    stroke: var(--contour);
    stroke-width: 1.2;
  }
  .index {
    stroke-width: 2.4;
  }
</style>
