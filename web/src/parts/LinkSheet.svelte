<script lang="ts">
  /** What is known of a real system: how it is reached, when it was read, how to read it now, and how
   * to take what was read into the map. */
  import { api, type Linked } from '../api/client';
  import { links, place } from '../lib/place.svelte';
  import { rights } from '../lib/rights.svelte';
  import { when } from '../lib/when';
  import Notice from './Notice.svelte';

  let { linked, onread }: { linked: Linked; onread: () => void } = $props();

  let busy = $state('');
  let wrong = $state('');

  async function act(what: string, work: () => Promise<void>) {
    [busy, wrong] = [what, ''];
    try {
      await work();
    } catch (error) {
      wrong = (error as Error).message;
    }
    busy = '';
    onread();
  }
  const read = () => act('Reading …', async () => void (await api.readSystem(linked.system)));
  const adopt = () =>
    act('Taking it into a trial …', async () => {
      const trial = await api.adopt({ system: linked.system });
      place.go(links.trial(trial.name));
    });
</script>

<p class="link">
  <span>Read by <span class="figures">{linked.kind}</span>, {linked.every ? `every ${linked.every}` : 'by hand'}.</span>
  {#if linked.newest}
    <span>As it was at <b class="figures">{when(linked.newest.at)}</b>{linked.newest.stale ? ', which is stale' : ''}: {linked.newest.accounts} accounts, {linked.newest.tied} of users of the map, {linked.newest.groups} groups.</span>
  {:else}<span>Not read yet.</span>{/if}
  {#if rights.has('intake')}<button class="act" disabled={busy !== ''} onclick={read}>Read it now</button>{/if}
  {#if rights.stage && linked.newest}<button class="act" disabled={busy !== ''} onclick={adopt}>Adopt it, as a trial</button>{/if}
  {#if busy || linked.busy}<span role="status">{busy || 'It is being read …'}</span>{/if}
</p>
{#if wrong}<Notice kind="wrong" title="It cannot be done">{wrong}</Notice>{/if}
{#if linked.failed && !wrong}<Notice kind="wrong" title="It could not be read {linked.failed === 1 ? 'once' : `${linked.failed} times`} since">{linked.error}</Notice>{/if}
{#if linked.newest?.unseen.length}<Notice kind="wrong" title="Not everything was seen">The account that reads may not see: {linked.newest.unseen.join(', ')}.</Notice>{/if}

<style>
  .link {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: var(--s1) var(--s4);
  }
</style>
