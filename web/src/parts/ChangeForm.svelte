<script lang="ts">
  /** Stages one change of any kind, said field by field. */
  import type { Change } from '../api/client';
  import { changeOf, kinds, type Field } from '../lib/trial';
  import NameField from './NameField.svelte';

  let { onStage }: { onStage: (change: Change) => Promise<void> } = $props();

  let kind = $state(kinds[0]!.do);
  let values = $state<Partial<Record<Field, string>>>({});
  let wrong = $state('');

  const chosen = $derived(kinds.find((k) => k.do === kind)!);
  const named = { group: 'group', member: '', user: 'user', document: 'system' } as const;

  async function stage(event: SubmitEvent) {
    event.preventDefault();
    try {
      await onStage(changeOf(chosen, values));
      wrong = '';
    } catch (error) {
      wrong = (error as Error).message;
    }
  }
</script>

<form onsubmit={stage}>
  <label>
    Change
    <select bind:value={kind}>
      {#each kinds as k}<option value={k.do}>{k.label}</option>{/each}
    </select>
  </label>
  {#each chosen.fields as f (f.field)}
    {#if f.field in named && chosen.do !== 'create-group'}
      <NameField label={f.label} kind={named[f.field as keyof typeof named]} required={!f.optional} hint={f.hint ?? ''} bind:value={() => values[f.field] ?? '', (v) => (values[f.field] = v)} />
    {:else}
      <label>
        {f.label}
        <input class:figures={f.field === 'value'} required={!f.optional} bind:value={() => values[f.field] ?? '', (v) => (values[f.field] = v)} placeholder={f.hint ?? ''} />
      </label>
    {/if}
  {/each}
  <button>Stage the change</button>
  {#if wrong}<p role="alert">{wrong}</p>{/if}
</form>

<style>
  form {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3) var(--s4);
    align-items: end;
    padding: var(--s4);
    background: var(--fold);
  }
  form > label {
    display: grid;
    flex: 1 1 12rem;
    font-weight: 700;
    font-size: var(--small);
  }
  [role='alert'] {
    flex-basis: 100%;
    color: var(--shut);
  }
</style>
