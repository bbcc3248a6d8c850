<script lang="ts">
  /** Who works with the service, by which tokens, and by which rules. */
  import { api, type MapInfo, type Operator, type TokenInfo } from '../api/client';
  import type { Column } from '../lib/rows';
  import { when } from '../lib/when';
  import Notice from '../parts/Notice.svelte';
  import Table from '../parts/Table.svelte';

  let { map }: { map: MapInfo } = $props();

  const roles = ['viewer', 'editor', 'approver', 'admin'] as const;
  let operators = $state.raw<readonly Operator[]>([]);
  let tokens = $state.raw<readonly TokenInfo[]>([]);
  let two = $state(false);
  let wrong = $state('');
  let shown = $state('');

  let name = $state('');
  let role = $state<(typeof roles)[number]>('viewer');
  let password = $state('');
  let tokenName = $state('');
  let tokenRole = $state<(typeof roles)[number]>('viewer');
  let expires = $state('');
  let systems = $state('');

  async function load() {
    const [o, t, s] = await Promise.all([api.operators(), api.tokens(), api.settings()]);
    operators = o.operators;
    tokens = t.tokens;
    two = s.two_persons;
  }
  $effect(() => void load().catch((error: Error) => (wrong = error.message)));

  async function attempt(work: () => Promise<string>) {
    try {
      shown = await work();
      wrong = '';
      await load();
    } catch (error) {
      wrong = (error as Error).message;
    }
  }

  const add = () =>
    attempt(async () => {
      await api.putOperator(name.trim(), { role, ...(password ? { password } : {}) });
      const made = name;
      name = password = '';
      return `${made} is an operator now.`;
    });
  const make = () =>
    attempt(async () => {
      const list = systems.split(/[\s,]+/).filter(Boolean);
      const made = await api.newToken({ name: tokenName.trim(), role: tokenRole, ...(expires ? { expires: `${expires}T00:00:00Z` } : {}), ...(list.length ? { systems: list } : {}) });
      tokenName = expires = systems = '';
      return `The token, shown this once: ${made.token}`;
    });

  const change = (o: Operator, to: Operator['role']) => attempt(async () => (await api.putOperator(o.name, { role: to }, o.version), `${o.name} is ${to} now.`));
  const rule = (on: boolean) => attempt(async () => (await api.configure({ two_persons: on }), `Whoever staged a change ${on ? 'may not' : 'may'} commit it.`));

  const operatorColumns: Column<Operator>[] = [
    { name: 'name', label: 'Name', text: (o) => o.name, figures: true },
    { name: 'display', label: 'Called', text: (o) => o.display ?? '' },
    { name: 'role', label: 'Role', text: (o) => o.role },
    { name: 'by', label: 'Signs in by', text: (o) => [o.issuer ? 'the provider' : '', o.password ? `password${o.two_factor ? ' and code' : ''}` : ''].filter(Boolean).join(', ') || 'nothing yet' },
    { name: 'off', label: 'Is', text: (o) => (o.off ? 'switched off' : 'on') },
  ];
  const tokenColumns: Column<TokenInfo>[] = [
    { name: 'name', label: 'Token', text: (t) => t.name, figures: true },
    { name: 'role', label: 'Role', text: (t) => t.role },
    { name: 'for', label: 'For', text: (t) => t.systems?.join(', ') || t.user || t.directory || 'everything' },
    { name: 'expires', label: 'Ends', text: (t) => (t.expires ? when(t.expires) + (t.expired ? ', ended' : '') : 'never'), figures: true },
    { name: 'author', label: 'Made by', text: (t) => t.author },
  ];
</script>

<svelte:head><title>Settings · Gate Map</title></svelte:head>

<main class="page">
  <h1>Settings</h1>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if shown}<p role="status" class="shown figures">{shown}</p>{/if}

  <section aria-labelledby="operators">
    <h2 id="operators">Operators of {map.title}</h2>
    <Table name="operators" label="Operators" rows={operators} columns={operatorColumns} nothing="Nobody yet." actsLabel="Change">
      {#snippet acts(o)}
        <select aria-label="Role of {o.name}" value={o.role} onchange={(e) => change(o, e.currentTarget.value as Operator['role'])}>
          {#each roles as r (r)}<option>{r}</option>{/each}
        </select>
        <button class="act" aria-label="{o.off ? 'Switch on' : 'Switch off'} {o.name}" onclick={() => attempt(async () => (await api.putOperator(o.name, { off: !o.off }, o.version), `${o.name} is switched ${o.off ? 'on' : 'off'}.`))}>{o.off ? 'Switch on' : 'Switch off'}</button>
        <button class="act" aria-label="Make a second factor for {o.name}" onclick={() => attempt(async () => `The second factor of ${o.name}, shown this once: ${(await api.secondFactor(o.name)).secret}`)}>Second factor</button>
        <button class="act" aria-label="Remove {o.name}" onclick={() => attempt(async () => (await api.dropOperator(o.name), `${o.name} is no operator any more.`))}>Remove</button>
      {/snippet}
    </Table>
    <form onsubmit={(e) => (e.preventDefault(), add())}>
      <label>Name of a new operator <input required bind:value={name} autocomplete="off" /></label>
      <label>Role <select bind:value={role}>{#each roles as r (r)}<option>{r}</option>{/each}</select></label>
      <label>Password, if not by the provider <input type="password" autocomplete="new-password" bind:value={password} /></label>
      <button class="act main">Add</button>
    </form>
  </section>

  <section aria-labelledby="tokens">
    <h2 id="tokens">Tokens</h2>
    <Table name="tokens" label="Tokens" rows={tokens} columns={tokenColumns} nothing="None yet." actsLabel="Change">
      {#snippet acts(t)}<button class="act" aria-label="End it: the token {t.name}" onclick={() => attempt(async () => (await api.dropToken(t.name), `The token ${t.name} has ended.`))}>End it</button>{/snippet}
    </Table>
    <form onsubmit={(e) => (e.preventDefault(), make())}>
      <label>Name of a new token <input required bind:value={tokenName} autocomplete="off" /></label>
      <label>Role of the token <select bind:value={tokenRole}>{#each roles as r (r)}<option>{r}</option>{/each}</select></label>
      <label>Ends on <input type="date" bind:value={expires} /></label>
      <label>Only for systems <input bind:value={systems} placeholder="archive, compute" /></label>
      <button class="act main">Make</button>
    </form>
  </section>

  <section aria-labelledby="rules">
    <h2 id="rules">Rules</h2>
    <label class="flag"><input type="checkbox" checked={two} onchange={(e) => rule(e.currentTarget.checked)} /> Who staged a change may not commit it</label>
  </section>
</main>

<style>
  form {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3);
    align-items: end;
    margin-top: var(--s3);
  }
  label {
    display: grid;
    font-weight: 700;
    font-size: var(--small);
  }
  .flag {
    display: flex;
    gap: var(--s2);
    align-items: center;
    min-height: 2rem;
    font-size: var(--plain);
  }
  input:not([type='checkbox']),
  select {
    min-height: 2.25rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--sheet);
    color: var(--ink);
  }
  :global(td.acts) select {
    min-height: 1.9rem;
    font-size: var(--small);
  }
  .shown {
    padding: var(--s3);
    background: var(--water-wash);
    overflow-wrap: anywhere;
  }
</style>
