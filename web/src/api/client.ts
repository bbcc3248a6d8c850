import type { components, operations } from './schema';

type Schemas = components['schemas'];
export type Entitlement = Omit<Schemas['Entitlement'], 'state'> & { state: State };
export type Reach = Omit<Schemas['Reach'], 'entitlements'> & { entitlements: Entitlement[] };
export type Why = Schemas['Why'];
export type Page = Schemas['Page'];
export type Item = Schemas['Item'];
export type MapInfo = Schemas['Map'];
export type User = Schemas['User'];
export type Groups = Schemas['Groups'];
export type Route = Schemas['Route'];
export type Stop = Schemas['Stop'];
export type Session = Schemas['Session'];
export type Trial = Schemas['Trial'];
export type Trials = Schemas['Trials'];
export type Change = Schemas['Change'];
export type Outcome = Schemas['Outcome'];
export type Effected = Schemas['Effected'];
export type Tally = Schemas['Tally'];
export type Turned = Schemas['Turned'];
export type Committed = Schemas['Committed'];
export type OwnGroups = Schemas['OwnGroups'];
export type State = 'open' | 'depends' | 'shut' | 'none';
export type Facts = Omit<NonNullable<operations['reach']['parameters']['query']>, 'user' | 'system'>;

/** What the service says when it cannot answer (RFC 9457). */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    detail: string,
    readonly near: string[] = [],
  ) {
    super(detail || title);
  }
}

/** Called when the service no longer knows the session. */
export let onSignedOut = () => {};
export function whenSignedOut(act: () => void) {
  onSignedOut = act;
}

async function call<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api/v1/${path}`, {
      method,
      signal: signal ?? null,
      headers: body === undefined ? { accept: 'application/json' } : { 'content-type': 'application/json' },
      body: body === undefined ? null : JSON.stringify(body),
    });
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error;
    throw new Problem(0, 'The service cannot be reached', 'The service does not answer. Is it still running?');
  }
  if (response.status === 204) return undefined as T;
  if (response.ok) return (await response.json()) as T;
  const said = await response.json().catch(() => ({}));
  if (response.status === 401 && path !== 'session') onSignedOut();
  throw new Problem(response.status, said.title ?? response.statusText, said.detail ?? '', said.near ?? said.candidates ?? []);
}

function query(parts: Record<string, string | number | undefined>): string {
  const q = new URLSearchParams();
  for (const [key, value] of Object.entries(parts)) if (value !== undefined && value !== '') q.set(key, String(value));
  return q.toString();
}

const name = (full: string) => full.split('/', 1)[0] + '/' + encodeURIComponent(full.slice(full.indexOf('/') + 1));

export const api = {
  session: () => call<Session>('GET', 'session'),
  signIn: (by: { token: string } | { name: string; password: string; code?: string }) => call<void>('POST', 'session', by),
  signOut: () => call<void>('DELETE', 'session'),
  map: () => call<MapInfo>('GET', 'map'),
  search: (q: string, kind: string, cursor = '', limit = 50, signal?: AbortSignal) =>
    call<Page>('GET', `search?${query({ q, kind, cursor, limit })}`, undefined, signal),
  user: (full: string) => call<User>('GET', `users/${name(full)}`),
  groups: (user: string) => call<Groups>('GET', `memberships?${query({ user })}`),
  reach: (user: string, facts: Facts, signal?: AbortSignal) =>
    call<Reach>('GET', `reach?${query({ user, ...facts })}`, undefined, signal),
  why: (user: string, e: { system: string; right: string; object: string }, facts: Facts, signal?: AbortSignal) =>
    call<Why>('GET', `why?${query({ user, system: e.system, right: e.right, object: e.object, ...facts })}`, undefined, signal),
  trials: () => call<Trials>('GET', 'trials'),
  trial: (named: string) => call<Trial>('GET', `trials/${encodeURIComponent(named)}`),
  newTrial: (named: string, note: string) => call<Trial>('POST', 'trials', { name: named, note }),
  dropTrial: (named: string) => call<void>('DELETE', `trials/${encodeURIComponent(named)}`),
  stage: (named: string, change: Change) => call<Trial>('POST', `trials/${encodeURIComponent(named)}/changes`, { changes: [change] }),
  unstage: (named: string, number: number) => call<Trial>('DELETE', `trials/${encodeURIComponent(named)}/changes/${number}`),
  outcome: (named: string, facts: Facts, cursor = '') =>
    call<Outcome>('GET', `trials/${encodeURIComponent(named)}/outcome?${query({ ...facts, cursor, limit: 100 })}`),
  turned: (named: string) => call<Turned>('GET', `trials/${encodeURIComponent(named)}/turned`),
  commit: (named: string, reason: string, override: string) =>
    call<Committed>('POST', `trials/${encodeURIComponent(named)}/commit`, override ? { reason, override } : { reason }),
  ownGroups: () => call<OwnGroups>('GET', 'own-groups'),
  changeOwn: (group: string, body: { add?: string[]; remove?: string[] }) => call<Committed>('POST', `own-groups/${name(group)}/members`, body),
};
