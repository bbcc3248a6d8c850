<script lang="ts">
  /** The groups of a person, and by which way. */
  import type { Groups } from '../api/client';

  let { groups }: { groups: Groups } = $props();

  const ways: Record<string, string> = { direct: 'listed', primary: 'primary group', rule: 'by rule', nested: 'nested' };
  const bare = (full: string) => full.slice(full.indexOf('/') + 1);
</script>

<section aria-label="Groups">
  <h2>Groups <small>{groups.groups.length}</small></h2>
  {#if groups.groups.length === 0}
    <p>In no group.</p>
  {:else}
    <table>
      <thead><tr><th scope="col">Group</th><th scope="col">How</th><th scope="col">Through</th></tr></thead>
      <tbody>
        {#each groups.groups as g (g.group)}
          <tr>
            <td class="figures">{g.group}</td>
            <td>{ways[g.how]}</td>
            <td class="figures">{g.path.slice(0, -1).map(bare).join(' › ')}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
</section>

<style>
  h2 {
    font-size: var(--large);
    border-bottom: 2px solid var(--ink);
    padding-bottom: 2px;
  }
  small {
    font-weight: 400;
    color: var(--ink-soft);
  }
  table {
    width: 100%;
    border-collapse: collapse;
  }
  th {
    text-align: left;
    font-size: var(--small);
    color: var(--ink-soft);
    font-weight: 400;
    padding: var(--s1) var(--s3) var(--s1) 0;
  }
  td {
    padding: 4px var(--s3) 4px 0;
    border-bottom: 1px solid var(--hair);
    vertical-align: baseline;
    overflow-wrap: anywhere;
  }
  td:nth-child(2) {
    white-space: nowrap;
  }
</style>
