<script lang="ts">
  /** Says how much of a long list has been fetched, and fetches more. */
  let { shown, total, onmore }: { shown: number; total: number; onmore: () => Promise<void> } = $props();

  let waits = $state(false);
  const spelled = (n: number) => n.toLocaleString('en');

  async function more() {
    waits = true;
    await onmore().finally(() => (waits = false));
  }
</script>

{#if shown < total}
  <p class="no-print">
    <span role="status">The first {spelled(shown)} of {spelled(total)} are here: sorting, filtering and exporting go over these.</span>
    <button class="act" onclick={more} disabled={waits}>{waits ? 'Fetching …' : 'Fetch more'}</button>
  </p>
{/if}

<style>
  p {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: var(--s2) var(--s3);
    color: var(--ink-soft);
  }
</style>
