<script lang="ts">
  /** Picks a person and a thing, and says which line decides in the situation above. */
  import { api, type Probe, type SystemInfo } from '../api/client';
  import { ask } from '../lib/ask';
  import { pointsOf, ruleOf } from '../lib/gates';
  import type { Lit } from '../lib/lit';
  import { links, place } from '../lib/place.svelte';
  import { situation } from '../lib/situation.svelte';
  import { rights } from '../lib/rights.svelte';
  import { trying } from '../lib/trying.svelte';
  import { fateWords, lackWords, needWords } from '../lib/words';
  import NameField from './NameField.svelte';
  import StateMark from './StateMark.svelte';

  let { system, systems, onlit }: { system: SystemInfo; systems: readonly string[]; onlit: (lit: Lit | null) => void } = $props();

  const id = $props.id();
  const points = $derived(pointsOf(system.type, system.document ?? {}, systems));
  const user = $derived(place.get('who'));
  const object = $derived(place.get('object') || points.objects[0] || '');
  const right = $derived(place.get('right') || points.rights[0] || '');
  let typed = $state(place.get('who'));
  let probe = $state<Probe | null>(null);
  let wrong = $state('');

  $effect(() => {
    void situation.key;
    void place.get('trial');
    if (!user || !object || !right) {
      probe = null;
      onlit(null);
      return;
    }
    return ask(
      (stop) => api.probe(user, system.system, right, object, situation.facts, stop),
      (got) => {
        probe = got;
        wrong = '';
        onlit(new Map(got.passes.map((p) => [p.line, p])));
      },
      (error) => {
        wrong = error.message;
        probe = null;
        onlit(null);
      },
    );
  });

  const ways = $derived(rights.stage ? (probe?.ways.filter((w) => w.stage?.length) ?? []) : []);
  const wayWords = (w: Probe['ways'][number]) => w.stage!.map((c) => (c.do === 'join' ? `join ${c.group}` : `${c.attribute} ${JSON.stringify(c.value)}`)).join(', ');

  async function take(w: Probe['ways'][number]) {
    try {
      await trying.stage(trying.name || `changes-${new Date().toISOString().slice(0, 10)}`, w.stage!);
    } catch (error) {
      wrong = (error as Error).message;
    }
  }

  const shown = $derived(probe?.passes.filter((p) => p.fate !== 'elsewhere') ?? []);
  const apart = $derived((probe?.passes.length ?? 0) - shown.length);
</script>

<section class="sheet" aria-label="Probe">
  <h2>Which line decides?</h2>
  <form onsubmit={(e) => (e.preventDefault(), place.set({ who: typed.trim() }))}>
    <NameField label="Person" kind="user" bind:value={typed} hint="a name" onpick={(item) => place.set({ who: item.name })} />
    <div><label for="{id}-object">What</label><input id="{id}-object" list="{id}-objects" value={object} onchange={(e) => place.set({ object: e.currentTarget.value })} /></div>
    <div><label for="{id}-right">Right</label><input id="{id}-right" list="{id}-rights" value={right} onchange={(e) => place.set({ right: e.currentTarget.value })} /></div>
    <datalist id="{id}-objects">{#each points.objects as o (o)}<option value={o}></option>{/each}</datalist>
    <datalist id="{id}-rights">{#each points.rights as r (r)}<option value={r}></option>{/each}</datalist>
    <button class="act">Probe</button>
    {#if user}<button type="button" class="act" onclick={() => ((typed = ''), place.set({ who: '' }))}>Clear</button>{/if}
  </form>
  <div aria-live="polite">
    {#if wrong}
      <p role="alert" class="wrong">{wrong}</p>
    {:else if probe}
      <p class="answer"><StateMark state={probe.state} /> <a href={links.person(probe.user, { line: [probe.system, probe.object, probe.right].join(' · ') })}>{probe.user}</a></p>
      <ul class="words">{#each probe.sentences as s, i (i)}<li dir="auto">{s}</li>{/each}</ul>
      {#if ways.length}
        <p class="ways">{#each ways as w, i (i)}<button type="button" class="act" onclick={() => take(w)}>Stage: {wayWords(w)}</button>{/each}</p>
      {/if}
      <h3>The lines on the way</h3>
      <ol>
        {#each shown as p (p.line)}
          <li data-fate={p.fate}>
            <strong>{ruleOf(p.line)}</strong> {fateWords(p.fate)}{p.needs.length ? `: ${p.needs.map(needWords).join(', ')}` : ''}{p.lacks.length ? `: ${p.lacks.slice(0, 4).map(lackWords).join(' or ')}` : ''}
          </li>
        {/each}
      </ol>
      {#if apart > 0}<p class="soft">{apart} other {apart === 1 ? 'line is' : 'lines are'} about something else.</p>{/if}
    {:else}
      <p class="soft">Pick a person: the line that decides lights up, with those that were passed over and why.</p>
    {/if}
  </div>
</section>

<style>
  form {
    display: grid;
    grid-template-columns: repeat(2, minmax(0, 1fr));
    gap: var(--s2);
    margin-bottom: var(--s3);
  }
  form > :global(.field) {
    grid-column: 1 / -1;
  }
  label {
    font-weight: 700;
    font-size: var(--small);
  }
  input {
    width: 100%;
    min-height: 2.25rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--sheet);
  }
  .answer {
    font-size: 1.125rem;
    overflow-wrap: anywhere;
  }
  .words {
    list-style: none;
    margin: var(--s2) 0 var(--s3);
    overflow-wrap: anywhere;
  }
  h3 {
    font-size: var(--plain);
  }
  .ways {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2);
    margin-bottom: var(--s3);
    overflow-wrap: anywhere;
  }
  ol {
    list-style: none;
    padding: 0;
  }
  li[data-fate] {
    padding: 3px 0 3px var(--s3);
    border-left: 4px solid var(--hair);
    margin-top: 2px;
    overflow-wrap: anywhere;
  }
  li[data-fate='decides'] {
    border-color: var(--water);
    background: var(--water-wash);
  }
  li[data-fate='may'] {
    border-left-style: dashed;
    border-color: var(--depends);
  }
  li[data-fate='unmet'] {
    border-color: var(--shut);
  }
  li[data-fate='others'],
  li[data-fate='overtaken'] {
    color: var(--ink-soft);
  }
  .wrong {
    padding: var(--s2) var(--s3);
    background: var(--shut-wash);
  }
</style>
