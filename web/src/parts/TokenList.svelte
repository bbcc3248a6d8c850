<script lang="ts">
  /** Tokens: all of them, or only those of whoever is signed in. */
  import { api, type TokenInfo } from '../api/client';
  import type { Column } from '../lib/rows';
  import { when } from '../lib/when';
  import Table from './Table.svelte';

  let { all, attempt }: { all: boolean; attempt: (work: () => Promise<string>) => Promise<void> } = $props();

  const roles = ['viewer', 'editor', 'approver', 'admin'] as const;
  let persons = $state.raw<readonly TokenInfo[]>([]);
  let services = $state.raw<readonly TokenInfo[]>([]);
  let name = $state('');
  let role = $state<(typeof roles)[number]>('viewer');
  let service = $state(false);
  let expires = $state('');
  let systems = $state('');

  async function load() {
    const [list, me] = await Promise.all([api.tokens(), api.session()]);
    persons = all ? list.tokens : list.tokens.filter((t) => t.owner === me.name);
    services = list.services;
  }
  const act = (work: () => Promise<string>) =>
    attempt(async () => {
      const said = await work();
      await load();
      return said;
    });
  $effect(() => void attempt(async () => (await load(), '')));

  const create = () =>
    act(async () => {
      const list = systems.split(/[\s,]+/).filter(Boolean);
      const made = await api.createToken({
        name: name.trim(),
        role,
        ...(service ? { service } : {}),
        ...(expires ? { expires: `${expires}T00:00:00Z` } : {}),
        ...(list.length ? { systems: list } : {}),
      });
      name = expires = systems = '';
      return `The token, shown only once: ${made.token}`;
    });
  const revoke = (t: TokenInfo) => act(async () => (await api.revokeToken(t.name), `The token ${t.name} is revoked.`));

  const columns: Column<TokenInfo>[] = [
    { name: 'name', label: 'Token', text: (t) => t.name, figures: true },
    { name: 'role', label: 'Role', text: (t) => t.role },
    { name: 'for', label: 'Scope', text: (t) => t.systems?.join(', ') || t.user || t.directory || 'everything' },
    { name: 'expires', label: 'Expires', text: (t) => (t.expires ? when(t.expires) + (t.expired ? ', expired' : '') : 'never'), figures: true },
    { name: 'author', label: 'Created by', text: (t) => t.author },
  ];
  const owned: Column<TokenInfo>[] = [...columns.slice(0, 1), { name: 'owner', label: 'Acts as', text: (t) => t.owner || t.user || '' }, ...columns.slice(1)];
</script>

<Table name="tokens" label="Tokens of persons" rows={persons} columns={owned} nothing="No tokens yet." actsLabel="Change">
  {#snippet acts(t)}<button class="act" aria-label="Revoke the token {t.name}" onclick={() => revoke(t)}>Revoke</button>{/snippet}
</Table>
{#if all}
  <h3>Tokens of services</h3>
  <Table name="services" label="Tokens of services" rows={services} columns={columns} nothing="No tokens of services yet." actsLabel="Change">
    {#snippet acts(t)}<button class="act" aria-label="Revoke the token {t.name}" onclick={() => revoke(t)}>Revoke</button>{/snippet}
  </Table>
{/if}
<form onsubmit={(e) => (e.preventDefault(), create())}>
  <label>Name of the new token <input required bind:value={name} autocomplete="off" /></label>
  <label>Role of the token <select bind:value={role}>{#each roles as r (r)}<option>{r}</option>{/each}</select></label>
  <label>Expires on <input type="date" bind:value={expires} /></label>
  <label>Limit to systems <input bind:value={systems} placeholder="archive, compute" /></label>
  {#if all}<label class="flag"><input type="checkbox" bind:checked={service} /> For a service, which never stages or commits</label>{/if}
  <button class="act main">Create the token</button>
</form>

<style>
  h3 {
    margin: var(--s4) 0 var(--s2);
  }
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
    min-height: 2.25rem;
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
</style>
