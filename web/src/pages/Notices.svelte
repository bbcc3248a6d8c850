<script lang="ts">
  /** Who is told what must not wait for someone to look, and what they were told. */
  import { api, type MapInfo, type Notices, type Sent } from '../api/client';
  import { ask } from '../lib/ask';
  import { revision } from '../lib/revision.svelte';
  import { rights } from '../lib/rights.svelte';
  import type { Column } from '../lib/rows';
  import { when } from '../lib/when';
  import Notice from '../parts/Notice.svelte';
  import Table from '../parts/Table.svelte';

  let { map }: { map: MapInfo } = $props();

  let all = $state.raw<Notices | null>(null);
  let wrong = $state('');
  let done = $state('');
  let busy = $state(false);

  $effect(() => {
    void revision.changes;
    const fetch = () => ask(() => api.notices(), (n) => (all = n), (error) => (wrong = error.message));
    let stop = fetch();
    const again = setInterval(() => (stop(), (stop = fetch())), 10_000);
    return () => (clearInterval(again), stop());
  });

  async function test(receiver: string) {
    [busy, wrong, done] = [true, '', ''];
    try {
      done = `The test arrived at ${(await api.testNotices(receiver)).to}.`;
    } catch (error) {
      wrong = (error as Error).message;
    }
    busy = false;
  }

  const turns: Record<Sent['turn'], string> = { began: 'Began', changed: 'Changed', over: 'Over', test: 'Test' };
  const columns: Column<Sent>[] = [
    { name: 'at', label: 'When', text: (n) => when(n.at), figures: true },
    { name: 'receiver', label: 'Receiver', text: (n) => n.receiver },
    { name: 'topic', label: 'About', text: (n) => n.topic ?? '' },
    { name: 'turn', label: 'Turn', text: (n) => turns[n.turn] },
    { name: 'text', label: 'Told', text: (n) => n.text },
    { name: 'state', label: 'Status', text: (n) => (n.error ? `${n.state}: ${n.error}` : n.state) },
  ];
</script>

<svelte:head><title>Notices · Gate Map</title></svelte:head>

<main class="page">
  <h1>Notices <small class="soft">who is told what must not wait</small></h1>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if done}<p role="status">{done}</p>{/if}
  {#if !all}<Notice kind="wait" title="Fetching the notices …" />
  {:else if all.receivers.length === 0}
    <Notice kind="empty" title="{map.title} tells nobody">A document such as <code>notices: night-desk</code> says who is told, by webhook, mail or syslog, when a guarantee breaks, a system drifts from the map, a source or delivery fails, or the audit does not hold.</Notice>
  {:else}
    <ul class="receivers">
      {#each all.receivers as r (r.name)}
        <li class="sheet">
          <h2>{r.name}</h2>
          <p>By {r.kind} to <span class="figures">{r.to}</span>{r.digest ? `, gathered over ${r.digest}` : ''}.</p>
          <p class="soft">About {r.about.join(', ')}{r.systems ? `; of ${r.systems.join(', ')}` : ''}. {r.stands === 1 ? '1 thing stands' : `${r.stands} things stand`} that it was told of.</p>
          {#if r.waiting}
            <Notice kind={r.error ? 'wrong' : 'wait'} title={`${r.waiting} ${r.waiting === 1 ? 'notice waits' : 'notices wait'}`}>
              {r.error ? `${r.error}. It is tried again` : 'They are sent'}{r.due ? ` at ${when(r.due)}` : ''}.
            </Notice>
          {/if}
          {#if rights.has('connect')}<button class="act" disabled={busy} onclick={() => test(r.name)}>Send {r.name} a test</button>{/if}
        </li>
      {/each}
    </ul>
    <section aria-label="What was told">
      <h2>What was told</h2>
      <Table name="notices" label="Notices" rows={all.notices} {columns} nothing="Nothing had to be told yet." />
      {#if all.next}<p class="soft">These are the newest {all.notices.length}. The others: <code>gatemap notices list --cursor {all.next}</code></p>{/if}
    </section>
  {/if}
</main>

<style>
  .receivers {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(24rem, 100%), 1fr));
    gap: var(--s4);
    list-style: none;
    padding: 0;
  }
  .receivers .act {
    margin-top: var(--s3);
  }
  .figures {
    overflow-wrap: anywhere;
  }
</style>
