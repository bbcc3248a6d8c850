<script lang="ts">
  /** What should be and what is there, side by side: each row is one cause, drawn to the side that
   * has more, as wide as what it explains. */
  import type { DriftCause } from '../api/client';

  let { causes, chosen, onpick }: { causes: readonly DriftCause[]; chosen: number; onpick: (cause: number) => void } = $props();

  const most = $derived(Math.max(1, ...causes.map((c) => c.items)));
  const wide = (items: number) => 4 + (96 * Math.sqrt(items)) / Math.sqrt(most);
</script>

<div class="picture" role="list" aria-label="What explains the difference">
  <p class="head" aria-hidden="true"><span>by the map alone</span><span>there alone</span></p>
  {#each causes as c, i (i)}
    <div class="row" role="listitem">
      <button aria-pressed={chosen === i} onclick={() => onpick(chosen === i ? -1 : i)}>
        <span class="side left">{#if c.effect === 'short'}<span class="bar short" style:width="{wide(c.items)}%"></span>{/if}</span>
        <span class="post" aria-hidden="true"></span>
        <span class="side">{#if c.effect === 'excess'}<span class="bar excess" style:width="{wide(c.items)}%"></span>{/if}</span>
        <span class="words"><span class="unseen">{c.effect}: </span>{c.sentence} <span class="figures soft">{c.items}{c.people > 1 ? ` of ${c.people} people` : ''}</span></span>
      </button>
    </div>
  {/each}
</div>

<style>
  .picture {
    max-width: 76rem;
  }
  .head {
    display: grid;
    grid-template-columns: 9rem 9rem;
    column-gap: 1.5rem;
    color: var(--ink-soft);
    font-size: var(--small);
    padding-bottom: var(--s1);
  }
  .head span:first-child {
    text-align: right;
  }
  button {
    display: grid;
    grid-template-columns: 9rem 1.5rem 9rem minmax(0, 1fr);
    align-items: center;
    width: 100%;
    padding: 2px 0;
    border: 0;
    border-bottom: var(--line);
    background: none;
    color: var(--ink);
    font: inherit;
    text-align: left;
    cursor: pointer;
  }
  button:hover,
  button[aria-pressed='true'] {
    background: var(--water-wash);
  }
  .side {
    display: flex;
    height: 1.1rem;
  }
  .left {
    justify-content: flex-end;
  }
  .post {
    justify-self: center;
    width: 3px;
    height: 1.9rem;
    margin-block: -2px;
    background: var(--ink);
  }
  .bar {
    border: 2px solid;
    border-radius: var(--corner);
  }
  .short {
    border-color: var(--none);
    border-style: dashed;
  }
  .excess {
    border-color: var(--depends);
    background: repeating-linear-gradient(45deg, var(--depends-wash) 0 5px, transparent 5px 9px);
  }
  .words {
    padding: var(--s1) 0 var(--s1) var(--s4);
    overflow-wrap: anywhere;
  }
  @media (max-width: 48rem) {
    .head {
      grid-template-columns: 1fr 1fr;
    }
    button {
      grid-template-columns: minmax(0, 1fr) 1.5rem minmax(0, 1fr);
    }
    .words {
      grid-column: 1 / -1;
      padding-left: 0;
    }
  }
</style>
