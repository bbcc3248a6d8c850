import type { Pass, Route, State, Stop, Words } from '../api/client';

let words: Words = { needs: {}, stops: {}, lacks: {}, fates: {} };

/** Takes the words for what answers tell by kind, as the service has them. */
export const takeWords = (all: Words) => (words = all);

/** Fills in the words of a kind, or what stands for words that are not known. */
const fill = (label: string | undefined, otherwise: string, values: Record<string, string>): string =>
  (label ?? otherwise).replace(/\{(\w+)\}/g, (_, key: string) => values[key] ?? '').trim();

/** A kind and what comes after the colon. */
const parts = (text: string): [string, string] => [text.slice(0, text.indexOf(':')), text.slice(text.indexOf(':') + 1)];

/** That it must be so, or not, in a few words: of a kind, for any of some values. */
export function kindWords(kind: string, values: readonly string[], not = false): string {
  const labels = words.needs[kind];
  const value = values.join(' or ');
  return fill(not ? labels?.not : labels?.is, `${not ? 'not ' : ''}${kind} {value}`, { value });
}

/** A need in a few words: "network:summit|office" is "from summit or office". */
export function needWords(need: string): string {
  const [kind, value] = parts(need);
  const not = kind.startsWith('not-');
  return kindWords(not ? kind.slice(4) : kind, value.split('|'), not);
}

/** What is lacking for a line in a few words. */
export function lackWords(lack: string): string {
  const [kind, name] = parts(lack);
  return fill(words.lacks[kind], lack, { name });
}

/** What becomes of a line in a few words. */
export const fateWords = (fate: Pass['fate']): string => words.fates[fate] ?? fate;

interface Ways {
  open_if: readonly (readonly string[] | null)[];
  open_if_more?: boolean;
}

/** The ways in which something is open, a few words for each: any one is enough. */
export function wayWords(e: Ways): string[] {
  if (!e.open_if.length) return ['in no case'];
  const ways = e.open_if.map((way) => (way?.length ? way.map(needWords).join(' and ') : 'in any case'));
  return e.open_if_more ? [...ways, 'further ways'] : ways;
}

/** What an entitlement hangs on: the ways in which it is open, or what shuts it. */
export const notesOf = (e: Ways & { state: string; shut_by: readonly Stop[] }): string[] =>
  [...new Set(e.state === 'depends' ? wayWords(e) : e.state === 'shut' ? e.shut_by.map(stopWords) : [])];

/** What shuts something, in a few words. */
export function stopWords(stop: Stop): string {
  const detail = stop.detail ?? '';
  const line = stop.at.slice(stop.at.indexOf('/') + 1);
  return fill(words.stops[stop.reason], `${stop.reason} {detail}`, { line, detail, need: needWords(detail) });
}

/** Routes on one line: the groups from the person on, and the line. */
export const routesWords = (routes: readonly Route[], before = ''): string => routes.map((r) => before + [...r.path.map((h) => h.group), r.mapping].join(' › ')).join('; ');

export const stateWords: Record<State, string> = { open: 'open', depends: 'depends', shut: 'shut', none: 'none' };
