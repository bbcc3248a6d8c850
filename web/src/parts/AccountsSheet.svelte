<script lang="ts">
  /** What becomes of the accounts of a directory by what is known of people, and a trial with it. */
  import { api, type AccountChange, type Accounts } from '../api/client';
  import { ask } from '../lib/ask';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import type { Column } from '../lib/rows';
  import Notice from './Notice.svelte';
  import Table from './Table.svelte';

  let { directory }: { directory: string } = $props();

  let plan = $state.raw<Accounts | null>(null);
  let wrong = $state('');
  let trial = $state('');

  $effect(() => {
    void revision.changes;
    return ask(
      () => api.accounts(directory),
      (got) => ((plan = got), (wrong = '')),
      (error) => ((plan = null), (wrong = error.message)),
    );
  });

  const changes = $derived(plan?.accounts.flatMap((x) => (x.change ? [x.change] : [])) ?? []);

  async function stage(event: SubmitEvent) {
    event.preventDefault();
    try {
      const begun = await api.beginTrial(trial.trim(), `Accounts of ${directory}`);
      try {
        await api.stage(begun.name, changes);
      } catch (error) {
        await api.removeTrial(begun.name);
        throw error;
      }
      place.go(links.trial(begun.name));
    } catch (error) {
      wrong = (error as Error).message;
    }
  }

  const words: Record<AccountChange['do'], string> = { create: 'create', move: 'move', 'switch-off': 'switch off', none: 'cannot have one' };
  const columns: Column<AccountChange>[] = [
    { name: 'do', label: 'To do', text: (x) => words[x.do] },
    { name: 'person', label: 'Person', text: (x) => (x.display_name ? `${x.display_name} (${x.person})` : x.person) },
    { name: 'user', label: 'Account', text: (x) => x.user ?? '', figures: true },
    { name: 'why', label: 'Where or why', text: (x) => x.why },
  ];
</script>

<section aria-label="Accounts of {directory}">
  <h2>Accounts of {directory}</h2>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if plan && plan.accounts.length === 0}
    <Notice kind="empty" title="The accounts are as they are to be">Everybody whom the sources know has one, in the right place, and nobody who has left is on.</Notice>
  {:else if plan}
    <Table name="accounts" label="Accounts" rows={plan.accounts} {columns} />
    {#if changes.length}
      <form class="controls" onsubmit={stage}>
        <label>Name of the trial <input required bind:value={trial} /></label>
        <button class="act main">Stage in a trial</button>
      </form>
    {/if}
  {:else if !wrong}
    <Notice kind="wait" title="Comparing people and accounts …" />
  {/if}
</section>

<style>
  form {
    display: flex;
    gap: var(--s3);
    align-items: end;
    margin-top: var(--s3);
  }
  label {
    display: grid;
    font-weight: 700;
  }
</style>
