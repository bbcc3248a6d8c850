import type { Pass, State } from '../api/client';

export type Lit = ReadonlyMap<string, Pass>;

/** How a line is drawn while a probe is on: what decides stands out, what does not
 * fades. */
export function tone(lit: Lit | null, line: string): 'plain' | 'decides' | 'may' | 'unmet' | 'faded' {
  if (!lit) return 'plain';
  const fate = lit.get(line)?.fate;
  if (fate === 'decides' || fate === 'may' || fate === 'unmet') return fate;
  return 'faded';
}

/** The bar of a gate in a state, as paths in a box 18 wide around 0, 0. */
export function bar(state: State): { solid: string; dotted: string } {
  if (state === 'open') return { solid: 'M-9 0h4M9 0h-4', dotted: '' };
  if (state === 'depends') return { solid: 'M-9 0H0', dotted: 'M1 0H9' };
  return { solid: 'M-9 0H9', dotted: '' };
}

/** What is drawn of a gate on a page of its system. */
export interface GateProps {
  system: import('../api/client').SystemInfo;
  lines: readonly import('../api/client').Line[];
  /** Lines that never decide, or add nothing, with what is found of them. */
  never: ReadonlyMap<string, import('./gates').Idle>;
  lit: Lit | null;
  chosen: string;
  href: (line: string) => string;
}
