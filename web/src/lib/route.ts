import type { Route } from '../api/client';
import { fit, letter } from './fit';

/** A point of a drawn route. */
export interface Stop {
  x: number;
  y: number;
  label: string;
  note: string;
}

/** One way from a person to what is opened, as it is drawn: down the steps of
 * its groups to a gate, and on to the side where the object stands. */
export interface Lane {
  path: string;
  stops: Stop[];
  gate: { x: number; y: number; label: string };
  exit: string;
}

export interface Drawing {
  lanes: Lane[];
  height: number;
  object: { x: number; y: number };
}

const left = 14;
const top = 18;
const step = 30;
const corner = 9;
const ways: Record<string, string> = { direct: 'listed', primary: 'primary group', rule: 'by rule', nested: '' };

/** From a point down and then to the right, with a rounded corner. */
function stair(x: number, y: number, toX: number, toY: number): string {
  const r = Math.min(corner, toX - x, toY - y);
  return `M${x} ${y}V${toY - r}Q${x} ${toY} ${x + r} ${toY}H${toX}`;
}

const bare = (full: string) => full.slice(full.indexOf('/') + 1);

/** Lays the routes out in a picture of a width: the person top left, groups on
 * steps going down to the right, a gate for each route, the object bottom
 * right. */
export function draw(routes: readonly Route[], width: number): Drawing {
  const right = width - 16;
  const longest = Math.max(1, ...routes.map((r) => r.path.length));
  const stride = Math.max(10, Math.min(34, (width * 0.42) / longest));
  let y = top;
  const lanes = routes.map((r, n): Lane => {
    let [fromX, fromY] = [left, n === 0 ? top : y];
    let path = n === 0 ? '' : `M${left} ${top}V${y}`;
    const stops: Stop[] = [];
    for (const hop of r.path) {
      y += step;
      const x = fromX === left && stops.length === 0 ? left + 24 : fromX + stride;
      path += stair(fromX, fromY, x, y);
      const note = ways[hop.how] ?? hop.how;
      stops.push({ x, y, label: fit(bare(hop.group), right - x - (note ? 8 + note.length * letter : 0)), note });
      [fromX, fromY] = [x, y];
    }
    y += step + 4;
    const gateX = Math.max(fromX + stride, left + 48);
    path += stair(fromX, fromY, gateX - 10, y);
    return {
      path,
      stops,
      gate: { x: gateX, y, label: fit(bare(r.mapping) + (r.by ? `, by ${r.by.replace(':', ' ')}` : r.direct ? ', in person' : r.path.length === 0 ? ', everyone' : ''), right - gateX - 24) },
      exit: '',
    };
  });
  const object = { x: right, y: y + step + 6 };
  for (const lane of lanes) {
    const { x, y: at } = lane.gate;
    lane.exit = `M${x + 10} ${at}H${right - corner}Q${right} ${at} ${right} ${at + corner}V${object.y}`;
  }
  return { lanes, height: object.y + 14, object };
}
