<script lang="ts">
  /** A list of names: each can be taken out, more are added as they are typed. */
  import NameField from './NameField.svelte';

  let { label, values, options, kind, covers, onchange }: {
    label: string;
    values: readonly string[];
    options?: readonly string[];
    kind?: 'group' | 'user';
    covers?: (value: string) => string;
    onchange: (values: string[]) => void;
  } = $props();

  const id = $props.id();
  let typed = $state('');

  function add(value: string) {
    const name = value.trim();
    if (name && !values.includes(name)) onchange([...values, name]);
    typed = '';
  }
  function key(event: KeyboardEvent) {
    if (event.key !== 'Enter' && event.key !== ',') return;
    event.preventDefault();
    add(typed);
  }
</script>

<div class="list" role="group" aria-label={label}>
  {#each values as v (v)}
    <span class="figures">{v} <button type="button" onclick={() => onchange(values.filter((x) => x !== v))} aria-label="Take {v} out of {label}">×</button></span>
  {/each}
  {#if kind}
    <NameField {label} {kind} bind:value={typed} onpick={(item) => add(item.name)} />
  {:else}
    <div class="more">
      <label for={id}>{label}</label>
      <input {id} list="{id}-options" bind:value={typed} onkeydown={key} onchange={() => (options?.includes(typed) ? add(typed) : undefined)} />
      <datalist id="{id}-options">{#each (options ?? []).filter((o) => !values.includes(o)) as o (o)}<option value={o}></option>{/each}</datalist>
    </div>
  {/if}
  {#if typed.trim()}<button type="button" class="act" onclick={() => add(typed)}>Add {typed.trim()}</button>{/if}
  {#if covers}
    {#each [...values, ...(typed.trim() ? [typed.trim()] : [])] as v (v)}
      {#if covers(v)}<p class="figures">{v}: {covers(v)}</p>{/if}
    {/each}
  {/if}
</div>

<style>
  .list {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s1) var(--s2);
    align-items: end;
  }
  span {
    display: inline-flex;
    align-items: center;
    padding: 2px 2px 2px var(--s2);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--sheet);
    overflow-wrap: anywhere;
  }
  span button {
    min-width: 24px;
    min-height: 24px;
    border: 0;
    background: none;
    cursor: pointer;
  }
  .more {
    flex: 1 1 10rem;
  }
  label {
    display: block;
    font-weight: 700;
    font-size: var(--small);
  }
  input {
    width: 100%;
    min-height: 2.25rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--sheet);
  }
  p {
    flex-basis: 100%;
    color: var(--ink-soft);
  }
</style>
