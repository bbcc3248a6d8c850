<script lang="ts">
  /** The lines that differ: of the map, and what is given there besides. Some of them can be taken
   * into the map, as a trial. */
  import { api, type Drift } from '../api/client';
  import { links, place } from '../lib/place.svelte';
  import { rights } from '../lib/rights.svelte';
  import Notice from './Notice.svelte';

  let { drift }: { drift: Drift } = $props();

  let chosen = $state<string[]>([]);
  let busy = $state(false);
  let wrong = $state('');

  const sides = $derived([
    { title: 'Lines of the map', none: 'All are there.', lines: drift.lines.filter((l) => l.side === 'map') },
    { title: 'Given there besides', none: 'Nothing.', lines: drift.lines.filter((l) => l.side === 'system') },
  ]);
  const some = $derived(chosen.filter((named) => drift.lines.some((l) => l.line === named)));

  async function adopt() {
    [busy, wrong] = [true, ''];
    try {
      const trial = await api.adopt({ system: drift.system, lines: some });
      place.go(links.trial(trial.name));
    } catch (error) {
      wrong = (error as Error).message;
    }
    busy = false;
  }
</script>

<section class="beside" aria-label="Lines of {drift.system}">
  {#each sides as side (side.title)}
    <div>
      <h3>{side.title}</h3>
      <ul>
        {#each side.lines as l (l.line)}
          <li>
            {#if rights.stage}<input type="checkbox" aria-label="Adopt {l.line}" value={l.line} bind:group={chosen} />{/if}
            <span>
              {#if l.side === 'map'}<a class="figures" href={links.system(drift.system, { line: l.line })}>{l.line}</a>{:else}<span class="figures">{l.line}</span>{/if}
              {l.sentence}
            </span>
          </li>
        {:else}<li class="soft">{side.none}</li>{/each}
      </ul>
    </div>
  {/each}
</section>
{#if rights.stage}
  <p>
    <button class="act" disabled={busy || some.length === 0} onclick={adopt}>Adopt the lines chosen, as a trial</button>
    <span class="soft">Then the map says for them what is there; the others stay as they are.</span>
  </p>
{/if}
{#if wrong}<Notice kind="wrong" title="It cannot be done">{wrong}</Notice>{/if}

<style>
  section,
  p {
    margin-top: var(--s4);
  }
  h3 {
    font-size: var(--plain);
  }
  ul {
    list-style: none;
    padding: 0;
  }
  li {
    display: flex;
    gap: var(--s2);
    align-items: baseline;
    padding: var(--s1) 0;
    border-bottom: var(--line);
    overflow-wrap: anywhere;
  }
  .beside {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(min(22rem, 100%), 1fr));
    gap: var(--s6);
  }
</style>
