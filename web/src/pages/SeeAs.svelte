<script lang="ts">
  /** What a person would see of what they hold, told to them: no account is touched. */
  import { api, type Entitlement, type MapInfo, type Reach } from '../api/client';
  import { ask } from '../lib/ask';
  import { bySystem } from '../lib/entry';
  import { links, place } from '../lib/place.svelte';
  import { situation } from '../lib/situation.svelte';
  import { notesOf } from '../lib/words';
  import Notice from '../parts/Notice.svelte';
  import SituationBar from '../parts/SituationBar.svelte';
  import GateSign from '../parts/GateSign.svelte';

  let { name, map }: { name: string; map: MapInfo } = $props();

  let reach = $state.raw<Reach | null>(null);
  let titles = $state<ReadonlyMap<string, string>>(new Map());
  let wrong = $state('');

  $effect(() => {
    void place.get('trial');
    return ask((stop) => api.reach(name, situation.facts, stop), (got) => ((reach = got), (wrong = '')), (error) => (wrong = error.message));
  });
  $effect(() => {
    return ask(() => api.search('', 'system', '', 200), (page) => (titles = new Map(page.items.map((s) => [s.name, s.title ?? '']))));
  });

  const first = $derived((reach?.display_name || name.slice(name.indexOf('/') + 1)).split(' ')[0]);
  const parts = $derived(bySystem(reach?.entitlements ?? []));
  const things = (list: readonly Entitlement[]) => {
    const found = new Map<string, Entitlement[]>();
    for (const e of list) found.set(e.object, [...(found.get(e.object) ?? []), e]);
    return [...found];
  };
  const tell = (e: Entitlement) => notesOf(e).join(e.state === 'depends' ? ' or ' : ', ');
</script>

<svelte:head><title>As {first} sees it · Gate Map</title></svelte:head>

<p class="as" role="status">This is what <a href={links.person(name)}>{name}</a> would see. You only look; no account is touched.</p>
<SituationBar {map} />
<main class="page">
  <h1 dir="auto">Good day, {first}. This is what you hold.</h1>
  {#if wrong}<Notice kind="wrong" title="No answer">{wrong}</Notice>
  {:else if !reach}<Notice kind="wait" title="Working it out …" />
  {:else if parts.length === 0}<Notice kind="empty" title="Nothing is open to you yet">Ask the one who looks after your team.</Notice>
  {:else}
    <div class="cards">
      {#each parts as part (part.system)}
        <section class="sheet">
          <h2>{titles.get(part.system) || part.system}</h2>
          <ul>
            {#each things(part.entries) as [object, list] (object)}
              <li>
                <strong class="figures">{object}</strong>
                {#each list as e (e.right)}
                  <span class="right"><GateSign state={e.state} size={13} /> {e.right}{e.breadth ? ` (${e.breadth})` : ''}<span class="unseen"> {e.state}</span>{#if tell(e)}<em>{tell(e)}</em>{/if}</span>
                {/each}
              </li>
            {/each}
          </ul>
        </section>
      {/each}
    </div>
  {/if}
</main>

<style>
  .as {
    padding: var(--s2) var(--s6);
    background: var(--water-wash);
    border-bottom: 1px solid var(--water);
  }
  .cards {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(24rem, 100%), 1fr));
    gap: var(--s4);
    align-items: start;
  }
  ul {
    list-style: none;
    padding: 0;
  }
  li {
    padding: var(--s2) 0;
    border-bottom: var(--line);
    overflow-wrap: anywhere;
  }
  strong {
    display: block;
  }
  .right {
    display: inline-block;
    margin-right: var(--s3);
  }
  em {
    margin-left: var(--s1);
    color: var(--ink-soft);
  }
</style>
