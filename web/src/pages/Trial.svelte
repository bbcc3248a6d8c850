<script lang="ts">
  /** One trial: what is staged, what it would do, and the commit. */
  import { api, Problem, type Change, type Committed, type Effected, type MapInfo, type Outcome, type Trial, type Turned } from '../api/client';
  import { ask } from '../lib/ask';
  import { keyOf } from '../lib/entry';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { rights } from '../lib/rights.svelte';
  import type { Column } from '../lib/rows';
  import { situation } from '../lib/situation.svelte';
  import { counted, effectSign, stateAndReason, tally } from '../lib/trial';
  import ChangeForm from '../parts/ChangeForm.svelte';
  import DifferencePicture from '../parts/DifferencePicture.svelte';
  import Notice from '../parts/Notice.svelte';
  import SituationBar from '../parts/SituationBar.svelte';
  import Table from '../parts/Table.svelte';
  import WritesSheet from '../parts/WritesSheet.svelte';

  let { name, map }: { name: string; map: MapInfo } = $props();

  let trial = $state.raw<Trial | null>(null);
  let outcome = $state.raw<Outcome | null>(null);
  let items = $state.raw<readonly Effected[]>([]);
  let turned = $state.raw<Turned | null>(null);
  let wrong = $state('');
  let reason = $state('');
  let override = $state('');
  let done = $state.raw<Committed | null>(null);
  let again = $state(0);
  let leaving = $state(false); // it may be gone before the service says so
  const key = crypto.randomUUID();

  const system = $derived(place.get('system'));
  const routes = $derived(place.get('routes') !== ''); // list other routes too
  const situated = $derived(place.get('situated') !== '');

  $effect(() => {
    void revision.changes;
    void situation.key;
    void system;
    void routes;
    void again;
    if (leaving) return;
    return ask(
      async (stop) => {
        const now = await api.trial(name);
        if (!stop.aborted) trial = now;
        return look(now);
      },
      (seen) => (show(seen), (wrong = '')),
      (error) => leaving || (wrong = error.message),
    );
  });

  interface Seen {
    trial: Trial;
    outcome: Outcome | null;
    turned: Turned | null;
  }

  async function look(at: Trial): Promise<Seen> {
    if (!at.applies) return { trial: at, outcome: null, turned: null };
    const [outcome, turned] = await Promise.all([api.outcome(at.name, situation.facts, { system, effect: routes ? 'all' : '' }), api.turned(at.name)]);
    return { trial: at, outcome, turned };
  }

  function show(seen: Seen) {
    ({ trial, outcome, turned } = seen);
    items = outcome?.items ?? [];
  }

  async function more() {
    const next = await api.outcome(name, situation.facts, { system, effect: routes ? 'all' : '', cursor: outcome!.next ?? '' });
    items = [...items, ...next.items];
    outcome = { ...next, pieces: outcome!.pieces }; // these come on the first page
  }

  async function attempt(work: () => Promise<void>, leaves = false) {
    leaving = leaves;
    try {
      await work();
      wrong = '';
    } catch (error) {
      leaving = false;
      wrong = error instanceof Problem && error.status === 412 ? `${error.message} The page shows its current state.` : (error as Error).message;
      if (error instanceof Problem && error.status === 412) again++;
    }
  }

  const stage = (change: Change) => attempt(async () => show(await look(await api.stage(name, [change]))));
  const unstage = (number: number) => attempt(async () => show(await look(await api.unstage(name, number, trial!.version))));
  const commit = () =>
    attempt(async () => {
      done = await api.commit(name, reason, override, trial!.version, key);
      place.set({ trial: '' });
    }, true);
  const remove = () => attempt(async () => (await api.removeTrial(name), place.set({ trial: '' }), place.go('/trials')), true);

  const stops = $derived((turned?.guarantees.broken.length ?? 0) > 0 || (turned?.findings.new.some((f) => f.severity === 'error') ?? false));
  const entitlement = (x: Effected) => (x.after ?? x.before)!;
  const columns: Column<Effected>[] = [
    { name: 'effect', label: 'Effect', text: (x) => `${effectSign[x.effect]} ${x.effect}` },
    { name: 'person', label: 'Person', text: (x) => x.user, href: (x) => links.person(x.user, { line: keyOf(entitlement(x)), trial: name }), figures: true },
    { name: 'system', label: 'System', text: (x) => entitlement(x).system, figures: true },
    { name: 'what', label: 'Entitlement', text: (x) => `${entitlement(x).right} on ${entitlement(x).object}`, figures: true },
    { name: 'before', label: 'Before', text: (x) => stateAndReason(x.before) },
    { name: 'after', label: 'After', text: (x) => stateAndReason(x.after) },
  ];
</script>

<svelte:head><title>{name} · Trials · Gate Map</title></svelte:head>

{#if situated}<SituationBar {map} />{/if}
<main class="page controls">
  <header><h1>{name}</h1>{#if trial}<p class="soft">{trial.note ? `${trial.note} · ` : ''}started by {trial.author}, on revision {trial.base}</p>{/if}</header>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if done}
    <Notice kind="empty" title="In force as revision {done.revision}">To revert it, see the <a href={place.to('/history', { revision: String(done.revision) })}>history</a>.</Notice>
    {#if done.passwords?.length}
      <section aria-labelledby="passwords">
        <h2 id="passwords">First passwords</h2>
        <p>They are kept nowhere, and are gone with this page: hand them out now.</p>
        <dl class="figures">{#each done.passwords as p (p.user)}<dt>{p.user}</dt><dd>{p.password}</dd>{/each}</dl>
      </section>
    {/if}
  {:else if trial}
    <section aria-labelledby="staged">
      <h2 id="staged">Staged</h2>
      {#if trial.changes.length === 0}<p class="soft">Nothing is staged yet. Stage a change on the page of a person, group or system, or here.</p>{/if}
      <ol>
        {#each trial.changes as change, i}
          <li>
            {change.sentence}
            <span class="by">{change.by}</span>
            {#if rights.stage}<button onclick={() => unstage(i + 1)} aria-label="Unstage: {change.sentence}">Unstage</button>{/if}
          </li>
        {/each}
      </ol>
      {#if !trial.applies}<Notice kind="wrong" title="It cannot be applied to the revision in force">{trial.obstacle}</Notice>{/if}
      {#each trial.notices ?? [] as notice}<p class="soft">{notice}</p>{/each}
      {#if trial.writes && rights.stage}<WritesSheet {trial} />{/if}
      {#if rights.stage}<ChangeForm onStage={stage} />{/if}
    </section>

    {#if outcome && turned && trial.changes.length > 0}
      <section aria-labelledby="outcome">
        <h2 id="outcome">Outcome</h2>
        {#if outcome.looked}<Notice kind="wrong" title="This is a part">Computed for {outcome.looked} of the people that it may touch: others may gain or lose something too.</Notice>{/if}
        <p class="total">{tally(outcome.total)}{outcome.people ? `, for ${outcome.people} ${outcome.people === 1 ? 'person' : 'people'}` : ''}</p>
        <p class="soft">{situated ? '' : 'In any situation. '}<button class="quiet" onclick={() => (situation.clear(), place.set({ situated: situated ? '' : 'yes' }))}>{situated ? 'Show any situation' : 'Choose a situation'}</button></p>
        {#if outcome.by_system.length}<DifferencePicture {outcome} />{/if}
        {#if outcome.deliver?.length}
          <p class="soft">
            To deliver after the commit:
            {#each outcome.deliver as d, i (d.system)}{i ? ', ' : ''}<a href={place.to('/deliveries', {})}>{d.system}</a>{d.when === 'on-commit' ? ', at once' : ', by hand'}{/each}.
          </p>
        {/if}
        {#if outcome.by_cause.length}
          <h3>Why</h3>
          <ul class="turns">{#each outcome.by_cause as c (c.words + c.gain)}<li class:gain={c.gain} class:loss={!c.gain}>{c.words}: {counted(c.effects, c.gain ? 'gain' : 'loss')} of {counted(c.people, 'person')}</li>{/each}</ul>
        {/if}
        {#if outcome.pieces?.length}
          <h3>Networks and windows</h3>
          <ul class="turns">
            {#each outcome.pieces as p (p.of + p.what)}<li>{p.of}, now {p.came ? 'with' : 'without'} {p.what}{p.computed ? `: ${tally(p.total)}` : ''}{p.people ? `, for ${counted(p.people, 'person')}` : ''}{p.looked ? `, computed for ${p.looked} of those whom it may touch` : ''} <span class="soft">{p.computed ? 'looked at' : 'choose as the situation'} {p.at}</span></li>{/each}
            {#if outcome.more_pieces}<li class="soft">{counted(outcome.more_pieces, 'further piece')} not looked at</li>{/if}
          </ul>
        {/if}
        {#if outcome.by_person.length}
          <h3>By person</h3>
          <ul class="people">{#each outcome.by_person as p (p.name)}<li><a href={links.person(p.name, { trial: name })}>{p.name}</a> {tally(p)}</li>{/each}</ul>
        {/if}
        {#if outcome.total.reroutes}
          <p><button class="quiet" onclick={() => place.set({ routes: routes ? '' : 'yes' })}>{routes ? 'Hide' : 'List'} what is held by another route only ({outcome.total.reroutes})</button></p>
        {/if}
        {#if items.length}
          <h3>Effects{system ? `, in ${system}` : ''}{#if system} <a href={place.to(place.path, { system: '' })}>in every system</a>{/if}</h3>
          <Table name="effects" label="Effects" rows={items} {columns} />
          {#if outcome.next}<p><button class="quiet" onclick={more}>Fetch more</button></p>{/if}
        {/if}
        {#each outcome.seats ?? [] as seats (seats.product)}<p>{seats.product}: {seats.before} held, then {seats.after}, of {seats.seats} seats.</p>{/each}
        <h3>Findings and guarantees</h3>
        <ul class="turns">
          {#each turned.guarantees.broken as g}<li class="loss">breaks the guarantee: {g}</li>{/each}
          {#each turned.guarantees.mended as g}<li class="gain">the guarantee is kept again: {g}</li>{/each}
          {#each turned.findings.new as f}<li class:loss={f.severity === 'error'}>new {f.severity}: {f.message}</li>{/each}
          {#each turned.findings.gone as f}<li class="gain">gone: {f.message}</li>{/each}
          {#if !(turned.findings.new.length || turned.findings.gone.length || turned.guarantees.broken.length || turned.guarantees.mended.length)}<li class="soft">No finding or guarantee changes.</li>{/if}
          {#if !turned.whole}<li class="soft">On a map of this size only errors and guarantees are checked here.</li>{/if}
        </ul>
      </section>

      {#if rights.commit}
        <form onsubmit={(event) => (event.preventDefault(), commit())}>
          <h2>Commit</h2>
          <label>Reason <input required bind:value={reason} /></label>
          {#if stops}<label>Reason for the override <input bind:value={override} /></label>{/if}
          <button>Commit the trial</button>
        </form>
      {/if}
    {/if}
    {#if rights.stage}<p><button class="quiet" onclick={remove}>Remove the trial</button></p>{/if}
  {:else if !wrong}
    <Notice kind="wait" title="Fetching the trial …" />
  {/if}
</main>

<style>
  .by {
    margin: 0 var(--s3);
    color: var(--ink-soft);
    font-size: var(--small);
  }
  ol {
    padding-left: var(--s6);
    margin: var(--s3) 0;
  }
  li {
    overflow-wrap: anywhere;
  }
  dl {
    display: grid;
    grid-template-columns: max-content 1fr;
    gap: var(--s2) var(--s6);
    margin-top: var(--s3);
  }
  dd {
    margin: 0;
    user-select: all;
  }
  .total {
    font-size: var(--large);
  }
  h3 {
    margin: var(--s4) 0 var(--s2);
  }
  .people,
  .turns {
    list-style: none;
    padding: 0;
  }
  .people {
    columns: 24rem;
  }
  .gain {
    color: var(--open);
  }
  .loss {
    color: var(--shut);
  }
  form {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3) var(--s4);
    align-items: end;
    padding: var(--s4);
    background: var(--sheet);
    border: 1px solid var(--hair);
    border-top: 4px solid var(--ink);
  }
  form h2 {
    flex-basis: 100%;
  }
  form label {
    display: grid;
    flex: 1 1 20rem;
    font-weight: 700;
  }
</style>
