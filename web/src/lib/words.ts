import type { Route, State, Stop } from '../api/client';

const kinds: Record<string, string> = {
  network: 'from', window: 'in window', device: 'device', 'device-group': 'device in',
  strength: 'at least', access: 'by', client: 'client', risk: 'risk', via: 'via', before: 'before', after: 'from', to: 'only to', port: 'only port',
};

/** A need in a few words: "network:summit|office" is "from summit or office". */
export function needWords(need: string): string {
  const cut = need.indexOf(':');
  const kind = need.slice(0, cut);
  const opposite = kind.startsWith('not-');
  const word = kinds[opposite ? kind.slice(4) : kind] ?? kind;
  const value = need.slice(cut + 1).replaceAll('|', ' or ');
  return `${opposite ? 'not ' : ''}${word} ${value}`;
}

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

const reasons: Record<string, string> = {
  inactive: 'account inactive', expired: 'account expired', prerequisite: 'lacks', deny: 'denied by',
  limit: 'limit', feature: 'needs feature', 'no-seat': 'no seat left', gate: 'behind', rule: 'refused by',
  override: 'own override', policy: 'policy', door: 'kept out by', login: 'no login:', admit: 'not admitted by', source: 'unknown here:',
};

/** What shuts something, in a few words. */
export function stopWords(stop: Stop): string {
  const line = stop.at.slice(stop.at.indexOf('/') + 1);
  switch (stop.reason) {
    case 'condition':
      return `only ${needWords(stop.detail ?? '')}`;
    case 'deny':
    case 'limit':
    case 'rule':
    case 'policy':
    case 'door':
    case 'login':
    case 'admit':
      return `${reasons[stop.reason]} ${line}`;
    case 'gate':
      return `behind ${line}`;
  }
  return `${reasons[stop.reason] ?? stop.reason} ${stop.detail ?? ''}`.trim();
}

/** Routes on one line: the groups from the person on, and the line. */
export const routesWords = (routes: readonly Route[], before = ''): string => routes.map((r) => before + [...r.path.map((h) => h.group), r.mapping].join(' › ')).join('; ');

export const stateWords: Record<State, string> = { open: 'open', depends: 'depends', shut: 'shut', none: 'none' };
