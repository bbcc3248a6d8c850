<script lang="ts">
  /** A drawing with its title, the same in words where the page does not tell them
   * besides, and a way to take it along. One that is not wide fits any room. */
  import type { Snippet } from 'svelte';
  import { savePng, saveSvg } from '../lib/save';

  let { title, words, file, wide = true, children }: { title: string; words: readonly string[]; file: string; wide?: boolean; children: Snippet } = $props();

  let box: HTMLDivElement;
  const drawn = () => box.querySelector('svg')!;
</script>

<figure class:framed={wide}>
  <figcaption>
    <strong>{title}</strong>
    <span>Save as <button onclick={() => saveSvg(drawn(), file)}>SVG</button> <button onclick={() => savePng(drawn(), file)}>PNG</button></span>
  </figcaption>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (what scrolls must be reached by keys) -->
  <div bind:this={box} class:wide role="region" aria-label="{title}, drawing" tabindex="0">{@render children()}</div>
  {#if words.length}
    <details>
      <summary>The same in words</summary>
      <ul>{#each words as w, i (i)}<li dir="auto">{w}</li>{/each}</ul>
    </details>
  {/if}
</figure>

<style>
  figure {
    margin: 0;
  }
  .framed {
    padding: var(--s3) var(--s4);
    background: var(--sheet);
    border: 1px solid var(--hair);
  }
  figcaption {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    gap: var(--s2);
    margin-bottom: var(--s2);
  }
  figcaption span,
  summary {
    font-size: var(--small);
    color: var(--ink-soft);
  }
  button {
    border: 0;
    padding: 0 2px;
    min-width: 24px;
    min-height: 24px;
    background: none;
    color: var(--water);
    font-weight: 400;
    text-decoration: underline;
    cursor: pointer;
  }
  div {
    overflow-x: auto;
  }
  /* On a narrow screen a drawing keeps the room that it needs, and is scrolled. */
  .wide > :global(div) {
    min-width: 38rem;
  }
  summary {
    cursor: pointer;
    margin-top: var(--s2);
  }
  ul {
    padding-left: var(--s4);
    font-size: var(--small);
    overflow-wrap: anywhere;
  }
  @media print {
    figcaption span,
    details:not([open]) {
      display: none;
    }
  }
</style>
