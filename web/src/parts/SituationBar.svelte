<script lang="ts">
  /** The situation in which everything on the page is answered: one line that says it, which
   * unfolds to be changed and remembers whether it was open. Moving any part of it updates the
   * answer at once; "any" is a value like the others. */
  import { onMount } from 'svelte';
  import { api, type Item, type MapInfo } from '../api/client';
  import { situation } from '../lib/situation.svelte';
  import Choice from './Choice.svelte';
  import PlaceField from './PlaceField.svelte';
  import TimeField from './TimeField.svelte';

  let { map }: { map: MapInfo } = $props();

  let devices = $state<Item[]>([]);
  onMount(async () => {
    devices = (await api.search('', 'device').catch(() => ({ items: [] }))).items;
  });

  const conditions = [
    { value: 'none', label: 'neither managed nor compliant' },
    { value: 'managed', label: 'managed' },
    { value: 'managed,compliant', label: 'managed, compliant' },
    { value: 'compliant', label: 'compliant' },
  ];
  const device = $derived(situation.get('device_name') ? `name:${situation.get('device_name')}` : situation.get('device'));

  function pickDevice(value: string) {
    if (value.startsWith('name:')) situation.set({ device: '', device_name: value.slice(5) });
    else situation.set({ device: value, device_name: '' });
  }

  const kept = localStorage.getItem('situation');
  let open = $state(kept ? kept === 'open' : matchMedia('(min-width: 60rem)').matches);
  const id = $props.id();
  function fold() {
    open = !open;
    localStorage.setItem('situation', open ? 'open' : 'folded');
  }

  const list = (...values: string[]) => values.map((value) => ({ value, label: value }));
</script>

<section class="no-print" aria-label="Situation" class:open>
  <button class="fold" aria-expanded={open} aria-controls="{id}-time {id}-rest" onclick={fold}><span aria-hidden="true">{open ? '▾' : '▸'}</span> Situation: <b>{situation.words}</b></button>
  {#if open}
  <div class="time" id="{id}-time"><TimeField {map} /></div>
  <div class="rest" id="{id}-rest">
    <PlaceField {map} />
    <Choice
      label="Device"
      value={device}
      options={[...conditions, ...devices.map((d) => ({ value: `name:${d.name}`, label: d.name.slice(d.name.indexOf('/') + 1) }))]}
      onpick={pickDevice}
    />
    <Choice
      label="Strength"
      value={situation.get('strength')}
      options={list('aal1', 'aal2', 'aal3')}
      onpick={(strength) => situation.set({ strength })}
    />
    <Choice
      label="Access"
      value={situation.get('access')}
      options={list('vpn', 'wifi', 'wired')}
      onpick={(access) => situation.set({ access })}
    />
    <Choice
      label="Client"
      value={situation.get('client')}
      options={list('browser', 'native', 'legacy')}
      onpick={(client) => situation.set({ client })}
    />
    <Choice label="Via" value={situation.get('via')} options={list('share', 'local')} onpick={(via) => situation.set({ via })} />
    <Choice label="Risk" value={situation.get('risk')} options={list('low', 'medium', 'high')} onpick={(risk) => situation.set({ risk })} />
    <button onclick={() => situation.clear()} disabled={Object.keys(situation.facts).length === 0}>Set all to any</button>
  </div>
  {/if}
</section>

<style>
  section {
    position: sticky;
    z-index: 5;
    top: 0;
    display: grid;
    grid-template-columns: minmax(22rem, 5fr) 6fr;
    gap: var(--s3) var(--s8);
    padding: var(--s1) var(--s6) var(--s2);
    background: var(--fold);
    border-bottom: 1px solid var(--hair);
  }
  .rest {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(4.4rem, 1fr));
    gap: var(--s2);
    align-content: start;
  }
  .fold {
    grid-column: 1 / -1;
    justify-self: start;
    min-height: 1.7rem;
    padding: 0;
    border: 0;
    background: none;
    color: var(--ink);
    font: inherit;
    text-align: left;
    cursor: pointer;
  }
  .rest button {
    align-self: start;
    margin-top: 1.3rem;
    min-height: 1.9rem;
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: none;
    font-size: var(--small);
    cursor: pointer;
  }
  .rest button:disabled {
    border-color: var(--hair);
    color: var(--none);
    cursor: default;
  }
  @media (max-width: 60rem) {
    section {
      grid-template-columns: minmax(0, 1fr);
      padding: var(--s3) var(--s4);
      position: static;
    }
  }
</style>
