<script lang="ts">
  /** One entitlement in full: its state, its route as a picture, and the answer
   * in sentences that can be pasted into a ticket. */
  import { api, type Entitlement, type Why } from '../api/client';
  import { ask } from '../lib/ask';
  import { links, place } from '../lib/place.svelte';
  import { situation } from '../lib/situation.svelte';
  import Notice from './Notice.svelte';
  import RoutePicture from './RoutePicture.svelte';
  import StateMark from './StateMark.svelte';

  let { user, person, entry }: { user: string; person: string; entry: Entitlement } = $props();

  let why = $state<Why | null>(null);
  let wrong = $state('');
  let copied = $state(false);

  $effect(() => {
    copied = false;
    void place.get('trial');
    return ask((stop) => api.why(user, entry, situation.facts, stop), (got) => ((why = got), (wrong = '')), (error) => (wrong = error.message));
  });

  async function copy() {
    await navigator.clipboard.writeText((why?.sentences ?? []).join('\n'));
    copied = true;
  }
</script>

<section aria-label="Route">
  <header>
    <StateMark state={entry.state} />
    <p class="figures"><a href={links.system(entry.system, { who: user, object: entry.object, right: entry.right })}>{entry.system}</a> · {entry.right} · {entry.object}{entry.breadth ? ` · ${entry.breadth}` : ''}</p>
  </header>
  <RoutePicture {person} object={entry.object} is={entry.state} routes={entry.routes} />
  {#if wrong}
    <Notice kind="wrong" title="No sentences">{wrong}</Notice>
  {:else if why}
    <h3>In words</h3>
    <ul>
      {#each why.sentences as s, i (i)}<li>{s}</li>{/each}
    </ul>
    <button class="act no-print" onclick={copy}>{copied ? 'Copied' : 'Copy for a ticket'}</button>
    <a class="who no-print" href={links.system(entry.system, { view: 'who', object: entry.object, right: entry.right })}>Who else holds it?</a>
  {/if}
</section>

<style>
  section {
    padding: var(--s4) var(--s6) var(--s6);
    background: var(--sheet);
    border: 1px solid var(--hair);
    border-top: 4px solid var(--ink);
  }
  header {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s1) var(--s4);
    align-items: baseline;
    margin-bottom: var(--s3);
  }
  header p {
    overflow-wrap: anywhere;
  }
  h3 {
    margin: var(--s4) 0 var(--s1);
    font-size: var(--plain);
  }
  ul {
    list-style: none;
  }
  li {
    padding-left: var(--s4);
    text-indent: calc(-1 * var(--s4));
    margin-bottom: var(--s1);
    overflow-wrap: anywhere;
  }
  li::before {
    content: '';
    display: inline-block;
    width: var(--s2);
    margin-right: var(--s2);
    border-top: 1.5px solid var(--ink-soft);
    vertical-align: middle;
  }
  button {
    margin-top: var(--s3);
  }
  .who {
    margin-left: var(--s4);
  }
</style>
