<script lang="ts">
  /** The groups of someone who manages groups and is no operator. */
  import { api, type OwnGroups } from '../api/client';
  import Notice from '../parts/Notice.svelte';

  let own = $state<OwnGroups | null>(null);
  let wrong = $state('');
  let done = $state('');
  let names = $state<Record<string, string>>({});

  async function load() {
    try {
      own = await api.ownGroups();
    } catch (error) {
      wrong = (error as Error).message;
    }
  }

  $effect(() => void load());

  async function change(group: string, body: { add?: string[]; remove?: string[] }, said: string) {
    try {
      await api.changeOwn(group, body);
      wrong = '';
      done = said;
      names[group] = '';
      await load();
    } catch (error) {
      done = '';
      wrong = (error as Error).message;
    }
  }
</script>

<svelte:head><title>Your groups · Gate Map</title></svelte:head>

<main class="controls">
  <h1>Your groups</h1>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if done}<p role="status">{done}</p>{/if}
  {#if own}
    {#each own.groups as g (g.group)}
      <section>
        <h2>{g.group}</h2>
        {#if g.description}<p>{g.description}</p>{/if}
        {#if g.rule}
          <p>Members by rule: <code class="figures">{g.rule}</code></p>
        {:else}
          <form onsubmit={(event) => (event.preventDefault(), change(g.group, { add: [names[g.group] ?? ''] }, `${names[g.group]} is in ${g.group} now.`))}>
            <label>Add a person <input required bind:value={() => names[g.group] ?? '', (v) => (names[g.group] = v)} /></label>
            <button>Add the person</button>
          </form>
        {/if}
        <ul>
          {#each g.members as m (m.user)}
            <li>
              <span>{m.user}</span>
              {#if m.how === 'direct'}
                <button onclick={() => change(g.group, { remove: [m.user] }, `${m.user} is no longer in ${g.group}.`)} aria-label="Remove {m.user}">Remove</button>
              {:else}<em>{m.how === 'nested' ? `through ${m.path[0]}` : m.how}</em>{/if}
            </li>
          {/each}
        </ul>
      </section>
    {:else}
      <Notice kind="empty" title="You manage no group" />
    {/each}
  {:else if !wrong}
    <Notice kind="wait" title="Fetching your groups …" />
  {/if}
</main>

<style>
  main {
    padding: var(--s8) var(--s6);
    max-width: 48rem;
    display: grid;
    gap: var(--s6);
  }
  section {
    padding: var(--s4);
    background: var(--sheet);
    border-top: 4px solid var(--ink);
  }
  ul {
    list-style: none;
    padding: 0;
  }
  li {
    display: flex;
    justify-content: space-between;
    padding: var(--s1) 0;
    border-bottom: var(--line);
    overflow-wrap: anywhere;
  }
  em {
    color: var(--ink-soft);
  }
  form {
    display: flex;
    gap: var(--s3);
    align-items: end;
    margin: var(--s3) 0;
  }
  label {
    display: grid;
    font-weight: 700;
  }
  [role='status'] {
    padding: var(--s2) var(--s3);
    background: var(--open-wash);
  }
</style>
