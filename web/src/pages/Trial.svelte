<script lang="ts">
  /** One trial: what is staged, what it would do, and the commit. */
  import { api, type Change, type Outcome, type Trial, type Turned } from '../api/client';
  import { tally, effectSign } from '../lib/trial';
  import { place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import ChangeForm from '../parts/ChangeForm.svelte';
  import Notice from '../parts/Notice.svelte';

  let { name, rights }: { name: string; rights: string[] } = $props();

  let trial = $state<Trial | null>(null);
  let outcome = $state<Outcome | null>(null);
  let turned = $state<Turned | null>(null);
  let wrong = $state('');
  let reason = $state('');
  let override = $state('');
  let done = $state(0);
  let leaving = $state(false); // it may be gone before the service says so

  $effect(() => {
    void revision.changes;
    if (!leaving) load(name);
  });

  async function load(named: string) {
    try {
      show(await api.trial(named));
      wrong = '';
    } catch (error) {
      wrong = (error as Error).message;
    }
  }

  async function show(now: Trial) {
    trial = now;
    if (!now.stands) {
      outcome = turned = null;
      return;
    }
    [outcome, turned] = await Promise.all([api.outcome(now.name, {}), api.turned(now.name)]);
  }

  async function attempt(work: () => Promise<void>, leaves = false) {
    leaving = leaves;
    try {
      await work();
      wrong = '';
    } catch (error) {
      leaving = false;
      wrong = (error as Error).message;
    }
  }

  const stage = (change: Change) => attempt(async () => show(await api.stage(name, change)));
  const unstage = (number: number) => attempt(async () => show(await api.unstage(name, number)));
  const commit = () => attempt(async () => void (done = (await api.commit(name, reason, override)).revision), true);
  const drop = () => attempt(async () => (await api.dropTrial(name), place.go('/trials')), true);

  const stops = $derived((turned?.guarantees.broken.length ?? 0) > 0 || (turned?.findings.new.some((f) => f.severity === 'error') ?? false));
</script>

<svelte:head><title>{name} · Trials · Gate Map</title></svelte:head>

<main class="controls">
  <h1>{name}</h1>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if done}
    <Notice kind="empty" title="In force as revision {done}">Undo it with <code>gatemap revert {done}</code>.</Notice>
  {:else if trial}
    {#if trial.note}<p class="lead">{trial.note}</p>{/if}
    <section aria-labelledby="staged">
      <h2 id="staged">Staged</h2>
      {#if trial.changes.length === 0}<p class="lead">Nothing is staged yet.</p>{/if}
      <ol>
        {#each trial.changes as change, i}
          <li>
            {change.sentence}
            <span class="by">{change.by}</span>
            {#if rights.includes('stage')}<button onclick={() => unstage(i + 1)} aria-label="Take out: {change.sentence}">Take out</button>{/if}
          </li>
        {/each}
      </ol>
      {#if !trial.stands}<Notice kind="wrong" title="It cannot be made on the revision in force">{trial.obstacle}</Notice>{/if}
      {#each trial.notices ?? [] as notice}<p class="lead">{notice}</p>{/each}
      {#if rights.includes('stage')}<ChangeForm onStage={stage} />{/if}
    </section>

    {#if outcome && turned && trial.changes.length > 0}
      <section aria-labelledby="outcome">
        <h2 id="outcome">What it would do</h2>
        <p class="total">{tally(outcome.total)}{outcome.people ? `, for ${outcome.people} ${outcome.people === 1 ? 'person' : 'people'}` : ''}</p>
        <div class="columns">
          <div>
            <h3>By system</h3>
            <ul>{#each outcome.by_system as s}<li><strong>{s.name}</strong> {tally(s)}</li>{/each}</ul>
          </div>
          <div>
            <h3>By person</h3>
            <ul>{#each outcome.by_person as p}<li><strong>{p.name}</strong> {tally(p)}</li>{/each}</ul>
          </div>
        </div>
        {#if outcome.items.length}
          <table>
            <thead><tr><th>Effect</th><th>Person</th><th>System</th><th>What</th></tr></thead>
            <tbody>
              {#each outcome.items as item}
                {@const e = (item.after ?? item.before)!}
                <tr class={item.effect}>
                  <td><span aria-hidden="true">{effectSign[item.effect]}</span> {item.effect}</td>
                  <td>{item.user}</td>
                  <td>{e.system}</td>
                  <td class="figures">{e.right} on {e.object}</td>
                </tr>
              {/each}
            </tbody>
          </table>
          {#if outcome.cursor}<p class="lead">These are the first {outcome.items.length}.</p>{/if}
        {/if}
        {#each outcome.seats ?? [] as seats}<p>{seats.product}: {seats.before} held, then {seats.after}, of {seats.seats} seats.</p>{/each}
        {#if turned.findings.new.length || turned.findings.gone.length || turned.guarantees.broken.length || turned.guarantees.mended.length}
          <h3>What turns</h3>
          <ul>
            {#each turned.guarantees.broken as g}<li class="loss">breaks the guarantee {g}</li>{/each}
            {#each turned.guarantees.mended as g}<li class="gain">mends the guarantee {g}</li>{/each}
            {#each turned.findings.new as f}<li class:loss={f.severity === 'error'}>new {f.severity}: {f.message}</li>{/each}
            {#each turned.findings.gone as f}<li class="gain">gone: {f.message}</li>{/each}
          </ul>
        {/if}
      </section>

      {#if rights.includes('commit')}
        <form onsubmit={(event) => (event.preventDefault(), commit())}>
          <h2>Commit</h2>
          <label>Reason <input required bind:value={reason} /></label>
          {#if stops}<label>Why it is to be committed all the same <input bind:value={override} /></label>{/if}
          <button>Commit</button>
        </form>
      {/if}
    {/if}
    {#if rights.includes('stage')}<p><button class="quiet" onclick={drop}>Drop the trial</button></p>{/if}
  {:else if !wrong}
    <Notice kind="wait" title="Fetching the trial …" />
  {/if}
</main>

<style>
  main {
    padding: var(--s8) var(--s6);
    max-width: 72rem;
    display: grid;
    gap: var(--s6);
  }
  .lead,
  .by {
    color: var(--ink-soft);
  }
  .by {
    margin: 0 var(--s3);
    font-size: var(--small);
  }
  section .lead {
    margin-bottom: var(--s4);
  }
  ol {
    padding-left: var(--s6);
    margin: var(--s3) 0;
  }
  li {
    overflow-wrap: anywhere;
  }
  .total {
    font-size: var(--large);
    margin-bottom: var(--s4);
  }
  .columns h3 {
    margin-bottom: var(--s2);
  }
  .columns strong {
    display: inline-block;
    min-width: 14rem;
  }
  .columns {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(18rem, 1fr));
    gap: var(--s6);
    margin-bottom: var(--s6);
  }
  ul {
    list-style: none;
    padding: 0;
  }
  table {
    width: 100%;
    border-collapse: collapse;
    background: var(--sheet);
  }
  th,
  td {
    text-align: left;
    padding: var(--s1) var(--s3);
    border-bottom: var(--line);
    overflow-wrap: anywhere;
  }
  tr.gain td:first-child,
  li.gain {
    color: var(--open);
  }
  tr.loss td:first-child,
  li.loss {
    color: var(--shut);
  }
  form {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3) var(--s4);
    align-items: end;
    padding: var(--s4);
    background: var(--sheet);
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
