import { describe, expect, it } from 'vitest';
import { draw } from './route';
import { fit } from './fit';

const nested = {
  mapping: 'archive/mapping 1',
  direct: false,
  path: [
    { group: 'cindervale/night-crew', how: 'direct' as const },
    { group: 'cindervale/archive-readers', how: 'nested' as const },
  ],
};

describe('a drawn route', () => {
  it('goes down and to the right, from group to group to the gate', () => {
    const { lanes, object, height } = draw([nested], 500);
    const [lane] = lanes;
    const xs = [...lane!.stops.map((s) => s.x), lane!.gate.x, object.x];
    const ys = [...lane!.stops.map((s) => s.y), lane!.gate.y, object.y];
    expect(xs).toEqual([...xs].sort((a, b) => a - b));
    expect(ys).toEqual([...ys].sort((a, b) => a - b));
    expect(lane!.stops.map((s) => [s.label, s.note])).toEqual([['night-crew', 'listed'], ['archive-readers', '']]);
    expect(height).toBeGreaterThan(object.y);
  });
  it('keeps labels of several routes on rows of their own', () => {
    const { lanes } = draw([nested, { mapping: 'archive/everyone_has lister', direct: false, path: [] }, nested], 390);
    const ys = lanes.flatMap((l) => [...l.stops.map((s) => s.y), l.gate.y]);
    expect(new Set(ys).size).toBe(ys.length);
    expect(lanes[1]!.gate.label).toBe('everyone_has lister, everyone');
  });
  it('shortens labels that have no room', () => {
    const long = { ...nested, mapping: `archive/${'a very long name of a line '.repeat(4)}` };
    const label = draw([long], 390).lanes[0]!.gate.label;
    expect(label.endsWith('…')).toBe(true);
    expect(label.length).toBeLessThan(45);
    expect(fit('short', 300)).toBe('short');
  });
  it('stays inside the picture with forty groups on the way', () => {
    const long = { ...nested, path: Array.from({ length: 40 }, (_, i) => ({ group: `cindervale/g${i}`, how: 'nested' as const })) };
    expect(draw([long], 900).lanes[0]!.gate.x).toBeLessThan(900);
  });
});
