<script lang="ts">
  /** Who works with the service, by which tokens, and by which rules. */
  import { api, type MapInfo, type Operator } from '../api/client';
  import type { Column } from '../lib/rows';
  import Notice from '../parts/Notice.svelte';
  import Table from '../parts/Table.svelte';
  import TokenList from '../parts/TokenList.svelte';

  let { map }: { map: MapInfo } = $props();

  const roles = ['viewer', 'editor', 'approver', 'admin'] as const;
  let operators = $state.raw<readonly Operator[]>([]);
  let connect = $state.raw<readonly string[]>([]);
  let two = $state(false);
  let wrong = $state('');
  let shown = $state('');

  let name = $state('');
  let role = $state<(typeof roles)[number]>('viewer');
  let password = $state('');

  async function load() {
    const [o, s] = await Promise.all([api.operators(), api.settings()]);
    operators = o.operators;
    two = s.two_persons;
    connect = s.connect;
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
      await api.setOperator(name.trim(), { role, ...(password ? { password } : {}) });
      const made = name;
      name = password = '';
      return `${made} is an operator now.`;
    });

  const change = (o: Operator, to: Operator['role']) => attempt(async () => (await api.setOperator(o.name, { role: to }, o.version), `${o.name} is ${to} now.`));
  const rule = (on: boolean) => attempt(async () => (await api.changeSettings({ two_persons: on }), `The two-person rule is ${on ? 'on' : 'off'}.`));

  const connects = (o: Operator) => o.role === 'admin' || connect.includes(o.name);
  const setConnect = (o: Operator, on: boolean) =>
    attempt(async () => {
      await api.changeSettings({ connect: [...connect.filter((n) => n !== o.name), ...(on ? [o.name] : [])] });
      return `${o.name} may ${on ? '' : 'not '}change what the map connects to.`;
    });

  const operatorColumns: Column<Operator>[] = [
    { name: 'name', label: 'Name', text: (o) => o.name, figures: true },
    { name: 'display', label: 'Display name', text: (o) => o.display ?? '' },
    { name: 'role', label: 'Role', text: (o) => o.role },
    { name: 'by', label: 'Sign-in', text: (o) => [o.issuer ? 'the provider' : '', o.password ? `password${o.two_factor ? ' and code' : ''}` : ''].filter(Boolean).join(', ') || 'none yet' },
    { name: 'connect', label: 'Connects', text: (o) => (connects(o) ? 'yes' : 'no') },
    { name: 'status', label: 'Status', text: (o) => (o.inactive ? 'inactive' : 'active') },
  ];
</script>

<svelte:head><title>Settings · Gate Map</title></svelte:head>

<main class="page">
  <h1>Settings</h1>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if shown}<p role="status" class="shown figures">{shown}</p>{/if}

  <section aria-labelledby="operators">
    <h2 id="operators">Operators of {map.title}</h2>
    <Table name="operators" label="Operators" rows={operators} columns={operatorColumns} nothing="No operators yet." actsLabel="Change">
      {#snippet acts(o)}
        <select aria-label="Role of {o.name}" value={o.role} onchange={(e) => change(o, e.currentTarget.value as Operator['role'])}>
          {#each roles as r (r)}<option>{r}</option>{/each}
        </select>
        <button class="act" aria-label="{o.inactive ? 'Activate' : 'Deactivate'} {o.name}" onclick={() => attempt(async () => (await api.setOperator(o.name, { inactive: !o.inactive }, o.version), `${o.name} is ${o.inactive ? 'active' : 'inactive'} now.`))}>{o.inactive ? 'Activate' : 'Deactivate'}</button>
        {#if o.role !== 'admin'}<button class="act" aria-label="{connects(o) ? 'Stop' : 'Allow'} connecting for {o.name}" onclick={() => setConnect(o, !connects(o))}>{connects(o) ? 'Stop connecting' : 'Allow connecting'}</button>{/if}
        <button class="act" aria-label="Create a second factor for {o.name}" onclick={() => attempt(async () => `The second factor of ${o.name}, shown only once: ${(await api.secondFactor(o.name)).secret}`)}>Second factor</button>
        <button class="act" aria-label="Remove {o.name}" onclick={() => attempt(async () => (await api.removeOperator(o.name), `${o.name} is no longer an operator.`))}>Remove</button>
      {/snippet}
    </Table>
    <form onsubmit={(e) => (e.preventDefault(), add())}>
      <label>Name of the new operator <input required bind:value={name} autocomplete="off" /></label>
      <label>Role <select bind:value={role}>{#each roles as r (r)}<option>{r}</option>{/each}</select></label>
      <label>Password (not needed with the provider) <input type="password" autocomplete="new-password" bind:value={password} /></label>
      <button class="act main">Add the operator</button>
    </form>
  </section>

  <section aria-labelledby="tokens">
    <h2 id="tokens">Tokens</h2>
    <TokenList all {attempt} />
  </section>

  <section aria-labelledby="rules">
    <h2 id="rules">Rules</h2>
    <label class="flag"><input type="checkbox" checked={two} onchange={(e) => rule(e.currentTarget.checked)} /> Two-person rule: who staged a change may not commit it</label>
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
