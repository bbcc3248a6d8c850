<script lang="ts">
  /** A field that finds people as one types. Arrow keys choose, Enter opens. */
  import { api, type Page } from '../api/client';
  import { askLater } from '../lib/ask';
  import { links, place } from '../lib/place.svelte';

  let { compact = false }: { compact?: boolean } = $props();

  const id = $props.id();
  const shown = 8;
  let text = $state('');
  let found = $state<Page | null>(null);
  let wrong = $state('');
  let open = $state(false);
  let at = $state(-1);
  let behind = false; // what is found is not yet of the text
  let entered = false; // the first that is found is to be opened

  $effect(() => {
    const wanted = text.trim();
    entered = false;
    behind = wanted !== '';
    if (!wanted) {
      found = null;
      return;
    }
    return askLater(
      80,
      (stop) => api.search(wanted, 'user', '', shown, stop),
      (got) => {
        found = got;
        wrong = '';
        at = got.items.length > 0 ? 0 : -1;
        behind = false;
        if (entered) take();
      },
      (error) => (wrong = error.message),
    );
  });

  function take() {
    const item = found?.items[at];
    if (item) choose(item.name);
  }

  function choose(name: string) {
    text = '';
    open = false;
    place.go(links.person(name));
  }

  function key(event: KeyboardEvent) {
    const items = found?.items ?? [];
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault();
      if (items.length) at = (at + (event.key === 'ArrowDown' ? 1 : -1) + items.length) % items.length;
    } else if (event.key === 'Enter') {
      if (behind) entered = true;
      else take();
    } else if (event.key === 'Escape') {
      open = false;
    }
  }
</script>

<div class="field" class:compact>
  <label for={id} class:unseen={compact}>Find a person</label>
  <input
    {id}
    type="search"
    role="combobox"
    autocomplete="off"
    spellcheck="false"
    placeholder={compact ? 'Find a person' : 'Name, title, department or mail address'}
    aria-expanded={open && !!found}
    aria-controls="{id}-list"
    aria-activedescendant={open && at >= 0 ? `${id}-${at}` : undefined}
    bind:value={text}
    onfocus={() => (open = true)}
    oninput={() => (open = true)}
    onblur={() => setTimeout(() => (open = false), 150)}
    onkeydown={key}
  />
  {#if open && found && text.trim()}
    <div class="list">
      <ul id="{id}-list" role="listbox" aria-label="People found">
        {#each found.items as item, i (item.name)}
          <li
            id="{id}-{i}"
            role="option"
            aria-selected={i === at}
            class:off={!item.active}
            onpointerdown={(e) => {
              e.preventDefault();
              choose(item.name);
            }}
          >
            <strong>{item.title || item.name}</strong>
            <span>{item.detail}{item.active ? '' : ', inactive'}</span>
            <span class="figures">{item.name}</span>
          </li>
        {/each}
      </ul>
      {#if found.items.length === 0}
        <p>Nobody has “{text.trim()}” in name, title, department or mail address.</p>
      {:else if found.total > found.items.length}
        <p>{found.total - found.items.length} more; type more to narrow the list.</p>
      {/if}
    </div>
  {/if}
  {#if wrong}<p class="wrong" role="alert">{wrong}</p>{/if}
</div>

<style>
  .field {
    position: relative;
  }
  label {
    display: block;
    font-weight: 700;
    margin-bottom: var(--s1);
  }
  input {
    width: 100%;
    padding: var(--s3) var(--s4);
    border: 1.5px solid var(--ink);
    border-radius: var(--corner);
    background: var(--sheet);
    font-size: 1.125rem;
  }
  .compact input {
    padding: var(--s1) var(--s3);
    font-size: var(--plain);
  }
  input::placeholder {
    color: var(--ink-soft);
    opacity: 1;
  }
  .list {
    position: absolute;
    z-index: 10;
    left: 0;
    right: 0;
    top: 100%;
    min-width: min(24rem, 90vw);
    background: var(--sheet);
    border: 1.5px solid var(--ink);
    border-top: 0;
    box-shadow: 0 6px 18px rgb(0 0 0 / 0.18);
  }
  ul {
    list-style: none;
  }
  li {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 0 var(--s4);
    padding: var(--s2) var(--s4);
    border-bottom: var(--line);
    cursor: pointer;
  }
  li .figures {
    grid-column: 1 / -1;
    color: var(--ink-soft);
  }
  li[aria-selected='true'],
  li:hover {
    background: var(--water-wash);
  }
  .off strong {
    text-decoration: line-through;
  }
  p {
    padding: var(--s2) var(--s4);
    color: var(--ink-soft);
  }
  .wrong {
    color: var(--shut);
  }
</style>
