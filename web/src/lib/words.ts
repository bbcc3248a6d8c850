import type { State, Stop } from '../api/client';

const kinds: Record<string, string> = {
  network: 'from', window: 'in window', device: 'device', 'device-group': 'device in',
  strength: 'at least', access: 'by', client: 'client', risk: 'risk', via: 'via', before: 'before', after: 'from',
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

const reasons: Record<string, string> = {
  inactive: 'account switched off', expired: 'account ended', prerequisite: 'lacks', deny: 'denied by',
  limit: 'limit', feature: 'needs feature', 'no-seat': 'no seat left', gate: 'behind',
};

/** What shuts something, in a few words. */
export function stopWords(stop: Stop): string {
  const line = stop.at.slice(stop.at.indexOf('/') + 1);
  switch (stop.reason) {
    case 'condition':
      return `only ${needWords(stop.detail ?? '')}`;
    case 'deny':
    case 'limit':
      return `${reasons[stop.reason]} ${line}`;
    case 'gate':
      return `behind ${line}: ${needWords(stop.detail ?? '')}`;
  }
  return `${reasons[stop.reason] ?? stop.reason} ${stop.detail ?? ''}`.trim();
}

export const stateWords: Record<State, string> = { open: 'open', depends: 'depends', shut: 'shut', none: 'none' };
