<script lang="ts">
  /** Changes a group: its members, what it says of itself, its rule with a count of whom
   * it matches, and what would go if it went. */
  import { untrack } from 'svelte';
  import { api, type Change, type GroupInfo, type Matched } from '../api/client';
  import { askLater } from '../lib/ask';
  import { links, place } from '../lib/place.svelte';
  import ListField from './ListField.svelte';
  import NameField from './NameField.svelte';
  import Stager from './Stager.svelte';

  let { group }: { group: GroupInfo } = $props();

  const acts = $derived([
    ...(group.rule ? [] : [['join', 'Add a member'], ['leave', 'Remove a member']]),
    ['rule', 'Rule'], ['description', 'Description'], ['kind', 'Kind'], ['usable_in', 'Usable in'], ['members_from', 'Members from'], ['managers', 'Managers'], ['rename', 'Name'], ['remove', 'Remove the group'],
  ] as [string, string][]);
  const act = $derived(place.get('edit'));
  const id = $props.id();
  let text = $state('');
  let matched = $state<Matched | null>(null);

  let users = $state<string[]>([...untrack(() => group.managers)]);
  let groups = $state<string[]>([...untrack(() => group.managed_by)]);

  const now = (field: string): string => (field === 'rename' ? group.group.slice(group.group.indexOf('/') + 1) : ['rule', 'description', 'kind', 'usable_in', 'members_from'].includes(field) ? String((group as unknown as Record<string, unknown>)[field] ?? '') : '');
  $effect(() => {
    const field = act;
    text = untrack(() => now(field));
  });

  $effect(() => {
    matched = null;
    if (act !== 'rule' || !text.trim()) return;
    const home = group.members_from === 'own' ? group.group.split('/')[0]! : '';
    const rule = text;
    return askLater(150, (stop) => api.testRule(rule, home, stop), (got) => (matched = got));
  });

  const change = $derived.by((): Change | null => {
    const g = { group: group.group };
    const value = text.trim();
    if (act === 'remove') return { do: 'remove-group', ...g };
    if (act === 'join' || act === 'leave') return value ? { do: act, ...g, member: value } : null;
    if (act === 'managers') return users.join() === group.managers.join() && groups.join() === group.managed_by.join() ? null : { do: 'set-group', ...g, field: act, value: { ...(users.length ? { users } : {}), ...(groups.length ? { groups } : {}) } };
    if (!act || value === now(act)) return null;
    if (act === 'rename') return value ? { do: 'rename-group', ...g, to: value } : null;
    if (act === 'rule' && matched?.wrong) return null;
    const set = { do: 'set-group' as const, ...g, field: act };
    if (value === '') return set;
    return { ...set, value };
  });
</script>

<section class="sheet" aria-label="Change the group">
  <h2>Change the group</h2>
  <div class="acts" role="group" aria-label="What to change">
    {#each acts as [name, label] (name)}<button aria-pressed={act === name} onclick={() => place.set({ edit: act === name ? '' : name })}>{label}</button>{/each}
  </div>
  {#if act === 'join' || act === 'leave'}
    <NameField label={act === 'join' ? 'User, group or device' : 'Member'} kind={act === 'join' ? '' : 'user'} bind:value={text} />
  {:else if act === 'kind' || act === 'usable_in' || act === 'members_from'}
    <label for="{id}-choice">{acts.find(([n]) => n === act)?.[1]}</label>
    <select id="{id}-choice" bind:value={text}>
      {#each act === 'kind' ? ['security', 'mail'] : act === 'members_from' ? ['any', 'own'] : ['any', 'own', 'host'] as o (o)}<option>{o}</option>{/each}
    </select>
  {:else if act === 'rule'}
    <label for="{id}-rule">Rule: a filter over attributes of users; empty: no rule</label>
    <textarea id="{id}-rule" class="figures" rows="3" spellcheck="false" aria-describedby="{id}-matched" bind:value={text}></textarea>
    <p id="{id}-matched" aria-live="polite" class:wrong={matched?.wrong}>
      {#if matched?.wrong}The rule has an error at column {matched.at}: {matched.wrong}.
      {:else if matched}It matches {matched.count} {matched.count === 1 ? 'person' : 'people'}{matched.sample.length ? ': ' : '.'}{#each matched.sample as u, i (u)}<a href={links.person(u)}>{u}</a>{i < matched.sample.length - 1 ? ', ' : matched.count > matched.sample.length ? ' …' : '.'}{/each}{matched.unknown?.length ? ` No user has ${matched.unknown.join(', ')}.` : ''}
      {:else if text.trim()}Testing the rule …{/if}
    </p>
  {:else if act === 'managers'}
    <ListField label="Managers" kind="user" values={users} onchange={(v) => (users = v)} />
    <ListField label="Groups whose members are managers" kind="group" values={groups} onchange={(v) => (groups = v)} />
  {:else if act && act !== 'remove'}
    <label for="{id}-text">{acts.find(([n]) => n === act)?.[1]}</label>
    <input id="{id}-text" bind:value={text} />
  {:else if act === 'remove'}
    <p>What removing the group would do:</p>
  {/if}
  {#if act}<Stager {change} onstaged={() => place.set({ edit: '' })} />{/if}
</section>

<style>
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s1);
    margin-bottom: var(--s3);
  }
  .acts button {
    min-height: 1.9rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--paper);
    font-size: var(--small);
    cursor: pointer;
  }
  .acts button[aria-pressed='true'] {
    background: var(--water);
    border-color: var(--water);
    color: var(--sheet);
  }
  label {
    display: block;
    font-weight: 700;
    font-size: var(--small);
  }
  input,
  select,
  textarea {
    width: min(100%, 44rem);
    min-height: 2.25rem;
    padding: var(--s1) var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--paper);
    color: var(--ink);
  }
  .wrong {
    color: var(--shut);
  }
</style>
