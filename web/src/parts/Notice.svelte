<script lang="ts">
  /** What stands in place of an answer: there is none yet, nothing to show, or
   * something went wrong. */
  import type { Snippet } from 'svelte';

  let { kind, title, children }: { kind: 'wait' | 'empty' | 'wrong'; title: string; children?: Snippet } = $props();
</script>

<div class={kind} role={kind === 'wrong' ? 'alert' : 'status'}>
  <strong>{title}</strong>
  {#if children}<p>{@render children()}</p>{/if}
</div>

<style>
  div {
    padding: var(--s4) var(--s4) var(--s4) var(--s6);
    border-left: 4px solid var(--hair);
    color: var(--ink-soft);
    max-width: 44rem;
  }
  strong {
    color: var(--ink);
  }
  .wrong {
    border-color: var(--shut);
    background: var(--shut-wash);
    color: var(--ink);
  }
  .wait {
    border-left-style: dashed;
  }
</style>
