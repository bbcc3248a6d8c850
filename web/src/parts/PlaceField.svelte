<script lang="ts">
  /** Where from: a named network, by an address of it, or any address. */
  import type { MapInfo } from '../api/client';
  import { firstAddress } from '../lib/address';
  import { situation } from '../lib/situation.svelte';
  import Choice from './Choice.svelte';

  let { map }: { map: MapInfo } = $props();

  const id = $props.id();
  const networks = $derived(map.networks.map((n) => ({ value: firstAddress(n.ranges[0] ?? ''), label: n.name })));
  const from = $derived(situation.get('from'));
  const named = $derived(networks.some((n) => n.value === from));
  let typing = $state(false);
  const typed = $derived(typing || (from !== '' && !named));

  function pick(value: string) {
    typing = value === 'typed';
    if (!typing) situation.set({ from: value });
  }
</script>

<div>
  <Choice
    label="Place"
    value={typed ? 'typed' : from}
    options={[...networks, { value: 'typed', label: 'an address …' }]}
    onpick={pick}
  />
  {#if typed}
    <label for={id} class="unseen">Address</label>
    <input
      {id}
      class="figures"
      placeholder="198.51.100.9"
      value={from}
      onchange={(e) => situation.set({ from: e.currentTarget.value.trim() })}
    />
  {:else if from}
    <output class="figures">{from}</output>
  {/if}
</div>

<style>
  input {
    width: 100%;
    margin-top: var(--s1);
    min-height: 1.75rem;
    padding: 0 var(--s2);
    border: 1px solid var(--water);
    border-radius: var(--corner);
    background: var(--sheet);
  }
  output {
    display: block;
    margin-top: var(--s1);
    color: var(--ink-soft);
    white-space: nowrap;
  }
</style>
