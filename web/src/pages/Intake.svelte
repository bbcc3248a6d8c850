<script lang="ts">
  /** The directories, what their sources would bring, and the log of every run. */
  import { api, type Directory, type MapInfo, type Preview, type Run } from '../api/client';
  import { ask, askLater } from '../lib/ask';
  import { place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { rights } from '../lib/rights.svelte';
  import type { Column } from '../lib/rows';
  import { when } from '../lib/when';
  import AccountsSheet from '../parts/AccountsSheet.svelte';
  import Notice from '../parts/Notice.svelte';
  import PreviewSheet from '../parts/PreviewSheet.svelte';
  import Table from '../parts/Table.svelte';

  let { map }: { map: MapInfo } = $props();

  let directories = $state.raw<readonly Directory[] | null>(null);
  let runs = $state.raw<readonly Run[]>([]);
  let run = $state.raw<Run | null>(null);
  let preview = $state.raw<Preview | null>(null);
  let wrong = $state('');
  let again = $state(0);

  const chosen = $derived(Number(place.get('run')) || 0);
  const accounts = $derived(place.get('accounts'));
  const working = (r: Run) => r.state === 'reading' || r.state === 'comparing';

  $effect(() => {
    void revision.changes;
    void again;
    return ask(
      () => Promise.all([api.directories(), api.runs()]),
      ([d, r]) => ((directories = d.directories), (runs = r.runs)),
      (error) => (wrong = error.message),
    );
  });

  // A run that is at work is looked at again until it rests.
  $effect(() => {
    void again;
    run = preview = null;
    const id = chosen;
    if (!id) return;
    let stop = () => {};
    const look = (wait: number) => {
      stop = askLater(
        wait,
        () => api.run(id),
        (got) => {
          run = got;
          if (working(got)) look(400);
          else if (got.state === 'waiting' || got.state === 'held') stop = ask(() => api.preview(id), (p) => (preview = p), (error) => (wrong = error.message));
        },
        (error) => (wrong = error.message),
      );
    };
    look(0);
    return () => stop();
  });

  async function attempt(work: () => Promise<Run>) {
    try {
      const now = await work();
      wrong = '';
      place.set({ run: String(now.id) });
      again++;
    } catch (error) {
      wrong = (error as Error).message;
    }
  }

  const counted = (r: Run) => {
    const c = r.counts;
    return (
      [[c.joined, 'joined'], [c.left, 'left'], [c.changed, 'changed'], [c.off, 'became inactive'], [c.new_groups, 'new groups'], [c.gone_groups, 'groups removed'], [c.changed_groups, 'groups changed'], [c.rejected, 'rejected']] as const
    ).flatMap(([n, w]) => (n ? [`${n} ${w}`] : [])).join(', ') || (r.error ?? 'no changes');
  };
  const columns: Column<Run>[] = [
    { name: 'id', label: 'Run', text: (r) => String(r.id), href: (r) => place.to('/intake', { run: String(r.id) }), number: true },
    { name: 'directory', label: 'Directory', text: (r) => r.directory, figures: true },
    { name: 'state', label: 'Status', text: (r) => r.state },
    { name: 'how', label: 'Started by', text: (r) => (r.how === 'hand' && r.started_by ? r.started_by : r.how) },
    { name: 'started', label: 'Started', text: (r) => when(r.started), figures: true },
    { name: 'changes', label: 'Changes', text: counted },
    { name: 'revision', label: 'Revision', text: (r) => (r.revision ? String(r.revision) : ''), href: (r) => (r.revision ? place.to('/history', { revision: String(r.revision) }) : ''), number: true },
  ];
</script>

<svelte:head><title>Intake · Gate Map</title></svelte:head>

<main class="page">
  <h1>Intake</h1>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if !directories}
    <Notice kind="wait" title="Fetching the directories …" />
  {:else}
    <ul class="directories">
      {#each directories as d (d.name)}
        <li class="sheet">
          <h2>{d.name}</h2>
          <p>{d.title ?? ''}</p>
          <p class="soft">{d.users} people, {d.groups} groups, {d.devices} devices, from {d.source === 'map' ? 'the map folder' : d.source}{d.feeds ? `, which feeds ${d.feeds}` : ''}{d.follow ? `; followed: ${d.follow}` : ''}</p>
          <p class="acts">
            {#if d.source !== 'map' && d.source !== 'scim' && rights.has('intake')}<button class="act" onclick={() => attempt(() => api.runIntake(d.name))}>Run a preview</button>{/if}
            {#if d.accounts && rights.stage}<button class="act" aria-expanded={accounts === d.name} onclick={() => place.set({ accounts: accounts === d.name ? '' : d.name })}>Accounts</button>{/if}
          </p>
        </li>
      {:else}<li><Notice kind="empty" title="No directory is connected">{map.title} names none.</Notice></li>{/each}
    </ul>
    {#if accounts && rights.stage}<AccountsSheet directory={accounts} />{/if}
    {#if run}
      <section aria-label="Run {run.id}">
        <h2>Run {run.id} of {run.directory}: {run.state}</h2>
        {#if working(run)}
          <p role="status">{run.read} entries read … <progress aria-label="Reading"></progress></p>
        {:else}
          <p>{counted(run)}.{run.server ? ` Read from ${run.server}.` : ''}</p>
          {#if run.held}<Notice kind="wrong" title="Held by the removal limit">{run.held}</Notice>{/if}
          {#if run.error}<Notice kind="wrong" title="The run failed">{run.error}</Notice>{/if}
          {#if preview}
            <PreviewSheet {preview} />
            <p class="acts">
              {#if rights.commit}<button class="act main" onclick={() => attempt(() => api.commitRun(run!.id, run!.version, run!.state === 'held'))}>{run.state === 'held' ? 'Commit despite the limit' : 'Commit the run'}</button>{/if}
              {#if rights.has('intake')}<button class="act" onclick={() => attempt(() => api.discardRun(run!.id))}>Discard the run</button>{/if}
            </p>
          {:else if run.samples.length}
            <ul>{#each run.samples as s, i (i)}<li>{s}</li>{/each}</ul>
          {/if}
        {/if}
      </section>
    {/if}
    <section aria-label="All runs">
      <h2>All runs</h2>
      <Table name="runs" label="Runs" rows={runs} {columns} nothing="No runs yet." />
    </section>
  {/if}
</main>

<style>
  .directories {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(20rem, 100%), 1fr));
    gap: var(--s4);
    list-style: none;
    padding: 0;
  }
  .acts {
    display: flex;
    gap: var(--s3);
    margin-top: var(--s3);
  }
</style>
