<script lang="ts">
  /** Findings, each with where it is and what to do. */
  import type { Finding } from '../api/client';
  import { links } from '../lib/place.svelte';

  let { findings }: { findings: readonly Finding[] } = $props();

  const at = (f: Finding) => [f.where.file, f.where.line].filter(Boolean).join(':');
</script>

<ul>
  {#each findings as f, i (i)}
    <li data-severity={f.severity}>
      <p><strong>{f.severity}</strong> <span class="figures">{f.code}</span>
        {#if f.where.system}<a class="figures" href={links.system(f.where.system, f.where.rule ? { line: `${f.where.system}/${f.where.rule}` } : {})}>{f.where.system}{f.where.rule ? `/${f.where.rule}` : ''}</a>{/if}
        {#if at(f)}<span class="figures soft">{at(f)}</span>{/if}</p>
      <p dir="auto">{f.message}</p>
      <p class="fix" dir="auto">{f.fix}</p>
    </li>
  {/each}
</ul>

<style>
  ul {
    list-style: none;
    padding: 0;
  }
  li {
    padding: var(--s2) var(--s3) var(--s2) var(--s4);
    margin-bottom: var(--s2);
    border-left: 4px solid var(--hair);
    background: var(--sheet);
    overflow-wrap: anywhere;
  }
  li[data-severity='error'] {
    border-color: var(--shut);
  }
  li[data-severity='warning'] {
    border-color: var(--depends);
    border-left-style: dashed;
  }
  li[data-severity='note'] {
    border-left-style: dotted;
  }
  .fix {
    color: var(--ink-soft);
  }
</style>
