import { place } from '../lib/place.svelte';
import type { components, operations } from './schema';

type Schemas = components['schemas'];
export type Entitlement = Omit<Schemas['Entitlement'], 'state'> & { state: State };
export type Reach = Omit<Schemas['Reach'], 'entitlements'> & { entitlements: Entitlement[] };
export type Why = Schemas['Why'];
export type Page = Schemas['Page'];
export type Item = Schemas['Item'];
export type MapInfo = Schemas['Map'];
export type Words = Schemas['Words'];
/** A JSON Schema (2020-12), as far as forms are drawn from it; x-order is the order of the keys of an object. */
export interface Schema {
  type?: string | readonly string[];
  description?: string;
  enum?: readonly string[];
  anyOf?: readonly Schema[];
  items?: Schema;
  properties?: Record<string, Schema>;
  additionalProperties?: Schema | boolean;
  required?: readonly string[];
  'x-order'?: readonly string[];
  $defs?: Record<string, Schema>;
}
export type User = Schemas['User'];
export type Memberships = Schemas['Memberships'];
export type Route = Schemas['Route'];
export type Stop = Schemas['Stop'];
export type SignedIn = Schemas['SignedIn'];
export type Trial = Schemas['Trial'];
export type Trials = Schemas['Trials'];
export type Notices = Schemas['Notices'];
export type Sent = Schemas['Sent'];
export type Change = Schemas['Change'];
export type Outcome = Schemas['Outcome'];
export type Effected = Schemas['Effected'];
export type Tally = Schemas['Tally'];
export type Turned = Schemas['Turned'];
export type Writes = Schemas['Writes'];
export type Committed = Schemas['Committed'];
export type Accounts = Schemas['Accounts'];
export type AccountChange = Schemas['AccountChange'];
export type OwnGroups = Schemas['OwnGroups'];
export type GroupInfo = Schemas['GroupInfo'];
export type SystemInfo = Omit<Schemas['SystemInfo'], 'document'> & { document?: Document };
export type Line = Omit<Schemas['Line'], 'value'> & { value?: Value };
export type Value = Record<string, unknown>;
export type Document = Record<string, unknown>;
export type Members = Schemas['Members'];
export type Member = Schemas['Member'];
export type DeviceMember = Schemas['DeviceMember'];
export type Chart = Schemas['Chart'];
export type Pass = Schemas['Pass'];
export type Probe = Schemas['Probe'] & { state: State };
export type Hours = Schemas['Hours'];
export type Compare = Schemas['Compare'];
export type Matched = Schemas['Matched'];
export type Impact = Schemas['Impact'];
export type Finding = Schemas['Finding'];
export type Findings = Schemas['Findings'];
export type Guaranteed = Schemas['Guaranteed'];
export type Revision = Schemas['Revision'];
export type Directory = Schemas['Directory'];
export type Run = Schemas['Run'];
export type Preview = Schemas['Preview'];
export type Operator = Schemas['Operator'];
export type TokenInfo = Schemas['TokenInfo'];
export type Entry = Schemas['Entry'];
export type Matrix = Schemas['Matrix'];
export type Holder = Schemas['Holder'];
export type Who = Schemas['Who'];
export type Linked = Schemas['Linked'];
export type Drift = Schemas['Drift'];
export type Drifts = Schemas['Drifts'];
export type Delivery = Schemas['Delivery'];
export type DeliveryPlan = Schemas['DeliveryPlan'];
export type DriftItem = Schemas['DriftItem'];
export type DriftCause = Schemas['DriftCause'];
export type Kind = Item['kind'];
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

let onSignedOut = () => {};
let waiting: (() => void)[] = [];

/** Says what is done when the service no longer knows the session. What was asked
 * meanwhile waits, so that nothing is lost that is being edited. */
export function whenSignedOut(act: () => void) {
  onSignedOut = act;
}

/** Asks again what had to wait for a sign-in. */
export function signedInAgain() {
  const all = waiting;
  waiting = [];
  for (const go of all) go();
}

async function call<T>(method: string, path: string, body?: unknown, signal?: AbortSignal, headers: Record<string, string> = {}): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api/v1/${path}`, {
      method,
      signal: signal ?? null,
      headers: { accept: 'application/json', ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...headers },
      body: body === undefined ? null : JSON.stringify(body),
    });
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error;
    throw new Problem(0, 'The service cannot be reached', 'The service does not answer. Is it still running?');
  }
  if (response.status === 204) return undefined as T;
  if (response.ok) return (await response.json()) as T;
  if (response.status === 401 && path !== 'sign-in') {
    onSignedOut();
    await new Promise<void>((again) => waiting.push(again));
    signal?.throwIfAborted();
    return call(method, path, body, signal, headers);
  }
  const said = await response.json().catch(() => ({}));
  throw new Problem(response.status, said.title ?? response.statusText, said.detail ?? '', said.near ?? said.candidates ?? []);
}

function query(parts: Record<string, string | number | undefined>): string {
  const q = new URLSearchParams();
  for (const [key, value] of Object.entries(parts)) if (value !== undefined && value !== '') q.set(key, String(value));
  return q.toString();
}

const name = (full: string) => full.split('/', 1)[0] + '/' + encodeURIComponent(full.slice(full.indexOf('/') + 1));
const at = encodeURIComponent;
const get = <T>(path: string, signal?: AbortSignal) => call<T>('GET', path, undefined, signal);
/** The parts of a question with the trial of which it is asked, where one is looked at. */
const asked = (parts: Record<string, string | number | undefined>) => query({ ...parts, trial: place.get('trial') });

let schema: Promise<Schema> | undefined;

export const api = {
  session: () => get<SignedIn>('sign-in'),
  signIn: (by: { token: string } | { name: string; password: string; code?: string }) => call<void>('POST', 'sign-in', by),
  signOut: () => call<void>('DELETE', 'sign-in'),
  map: () => get<MapInfo>('map'),
  words: () => get<Words>('words'),
  /** It is the same as long as the service runs. */
  schema: () =>
    (schema ??= get<Schema>('schema').catch((error: Error) => {
      schema = undefined;
      throw error;
    })),
  chart: (part: Record<string, string>) => get<Chart>(`chart?${query(part)}`),
  search: (q: string, kind: Kind | '', cursor = '', limit = 50, signal?: AbortSignal) => get<Page>(`search?${query({ q, kind, cursor, limit })}`, signal),

  user: (full: string) => get<User>(`users/${name(full)}?${asked({})}`),
  memberships: (user: string) => get<Memberships>(`memberships?${asked({ user })}`),
  reach: (user: string, facts: Facts, signal?: AbortSignal) => get<Reach>(`reach?${asked({ user, ...facts })}`, signal),
  why: (user: string, e: { system: string; right: string; object: string }, facts: Facts, signal?: AbortSignal) =>
    get<Why>(`why?${asked({ user, system: e.system, right: e.right, object: e.object, ...facts })}`, signal),
  hours: (user: string, facts: Facts, signal?: AbortSignal) => get<Hours>(`hours?${asked({ user, ...facts })}`, signal),
  compare: (first: string, second: string, facts: Facts) => get<Compare>(`compare?${asked({ first, second, ...facts })}`),

  group: (full: string) => get<GroupInfo>(`groups/${name(full)}?${asked({})}`),
  opens: (full: string) => get<{ lines: Line[] }>(`groups/${name(full)}/opens?${asked({})}`),
  members: (group: string, cursor = '') => get<Members>(`members?${asked({ group, cursor, limit: 1000 })}`),
  testRule: (filter: string, directory: string, signal?: AbortSignal) => get<Matched>(`rule-test?${asked({ filter, directory })}`, signal),

  system: (named: string) => get<SystemInfo>(`systems/${at(named)}?${asked({})}`),
  lines: (named: string) => get<{ lines: Line[] }>(`systems/${at(named)}/lines?${asked({})}`),
  probe: (user: string, system: string, right: string, object: string, facts: Facts, signal?: AbortSignal) =>
    get<Probe>(`probe?${asked({ user, system, right, object, ...facts })}`, signal),
  who: (system: string, right: string, object: string, facts: Facts, cursor = '') => get<Who>(`who?${asked({ system, right, object, ...facts, cursor, limit: 1000 })}`),

  findings: (part: { system?: string; code?: string; severity?: Finding['severity']; cursor?: string; limit?: number; so_far?: 'true' }) => get<Findings>(`findings?${asked(part)}`),
  guarantees: () => get<{ guarantees: Guaranteed[] }>(`guarantees?${asked({})}`),
  document: async (path: string) => (await get<{ files: Record<string, string> }>(`documents?${asked({ path })}`)).files[path] ?? '',

  trials: () => get<Trials>('trials?limit=1000'),
  trial: (named: string) => get<Trial>(`trials/${at(named)}`),
  beginTrial: (named: string, note: string) => call<Trial>('POST', 'trials', { name: named, note }),
  removeTrial: (named: string) => call<void>('DELETE', `trials/${at(named)}`),
  stage: (named: string, changes: Change[]) => call<Trial>('POST', `trials/${at(named)}/changes`, { changes }),
  unstage: (named: string, number: number, version: number) => call<Trial>('DELETE', `trials/${at(named)}/changes/${number}`, undefined, undefined, { 'if-match': `"${version}"` }),
  impact: (change: Change, facts: Facts, signal?: AbortSignal) => call<Impact>('POST', `impact?${asked({ ...facts })}`, change, signal),
  outcome: (named: string, facts: Facts, part: { user?: string; system?: string; effect?: string; cursor?: string } = {}) =>
    get<Outcome>(`trials/${at(named)}/outcome?${query({ ...facts, ...part, limit: 100 })}`),
  turned: (named: string) => get<Turned>(`trials/${at(named)}/turned`),
  writes: (named: string) => get<Writes>(`trials/${at(named)}/writes`),
  commit: (named: string, reason: string, override: string, version: number, key: string) =>
    call<Committed>('POST', `trials/${at(named)}/commit`, override ? { reason, override } : { reason }, undefined, { 'if-match': `"${version}"`, 'idempotency-key': key }),

  history: (cursor = '') => get<Schemas['Revisions']>(`revisions?${query({ cursor, limit: 50 })}`),
  revision: (number: number) => get<Revision>(`revisions/${number}`),
  revert: (number: number) => call<Trial>('POST', `revisions/${number}/revert`, {}),

  linked: () => get<Schemas['LinkedSystems']>('linked'),
  readSystem: (system: string) => call<Linked>('POST', `systems/${at(system)}/reading`),
  drift: (system = '') => get<Drifts>(`drift?${query({ system, limit: 1000 })}`),
  adopt: (adopting: { system: string; lines?: string[] }) => call<Trial>('POST', 'adopt', adopting),

  deliveries: () => get<Schemas['Deliveries']>('deliveries?limit=100'),
  delivery: (id: number) => get<DeliveryPlan>(`deliveries/${id}`),
  deliveryScript: (id: number) => get<Schemas['DeliveryScript']>(`deliveries/${id}/script`),
  runDelivery: (system: string) => call<Delivery>('POST', `systems/${at(system)}/delivery`, {}),
  commitDelivery: (id: number, confirm: boolean) => call<Delivery>('POST', `deliveries/${id}/commit`, { confirm }),
  discardDelivery: (id: number) => call<Delivery>('POST', `deliveries/${id}/discard`),

  notices: () => get<Notices>('notices?limit=200'),
  testNotices: (receiver: string) => call<Schemas['NoticeTested']>('POST', `notices/${at(receiver)}/test`),

  directories: () => get<{ directories: Directory[] }>('directories'),
  runs: (cursor = '') => get<Schemas['Runs']>(`runs?${query({ cursor, limit: 50 })}`),
  accounts: (directory: string) => get<Accounts>(`directories/${at(directory)}/accounts`),
  runIntake: (directory: string) => call<Run>('POST', `directories/${at(directory)}/intake`, {}),
  run: (id: number) => get<Run>(`runs/${id}`),
  preview: (id: number) => get<Preview>(`runs/${id}/preview`),
  commitRun: (id: number, version: number, confirm: boolean) => call<Run>('POST', `runs/${id}/commit`, { confirm }, undefined, { 'if-match': `"${version}"` }),
  discardRun: (id: number) => call<Run>('POST', `runs/${id}/discard`),

  ownGroups: () => get<OwnGroups>('own-groups'),
  changeOwn: (group: string, body: { add?: string[]; remove?: string[] }) => call<Committed>('POST', `own-groups/${name(group)}/members`, body),

  operators: () => get<{ operators: Operator[] }>('operators'),
  setOperator: (named: string, change: Schemas['OperatorChange'], version = 0) =>
    call<Operator>('PUT', `operators/${at(named)}`, change, undefined, version ? { 'if-match': `"${version}"` } : {}),
  removeOperator: (named: string) => call<void>('DELETE', `operators/${at(named)}`),
  secondFactor: (named: string) => call<Schemas['SecondFactor']>('POST', `operators/${at(named)}/second-factor`),
  changeOwnPassword: (change: Schemas['PasswordChange']) => call<void>('PUT', 'own-password', change),
  tokens: () => get<Schemas['Tokens']>('tokens'),
  createToken: (token: Schemas['TokenChange']) => call<Schemas['Token']>('POST', 'tokens', token),
  revokeToken: (named: string) => call<void>('DELETE', `tokens/${at(named)}`),
  settings: () => get<Schemas['Settings']>('settings'),
  changeSettings: (settings: Schemas['SettingsChange']) => call<Schemas['Settings']>('PUT', 'settings', settings),
  audit: (part: { actor?: string; object?: string; from?: string; to?: string; cursor?: string }) => get<Schemas['Audit']>(`audit?${query({ ...part, limit: 100 })}`),
  verifyAudit: () => get<Schemas['Verified']>('audit/verify'),
};
