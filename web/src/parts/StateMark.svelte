<script lang="ts">
  /** A state as sign and word. */
  import type { State } from '../api/client';
  import GateSign from './GateSign.svelte';

  let { state }: { state: State } = $props();
</script>

<span data-state={state}><GateSign {state} /> {state}</span>

<style>
  span {
    display: inline-flex;
    align-items: center;
    gap: var(--s2);
    font-weight: 700;
    white-space: nowrap;
    color: var(--state);
  }
</style>
