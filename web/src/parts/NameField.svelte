<script lang="ts">
  /** A field that completes the names of what is on the map. Arrow keys choose, Enter
   * takes; a name that is typed whole is taken as it stands. */
  import { api, type Item, type Kind } from '../api/client';
  import { askLater } from '../lib/ask';

  let { label, kind, value = $bindable(''), required = false, hint = '', onpick }: {
    label: string;
    kind: Kind | '';
    value?: string;
    required?: boolean;
    hint?: string;
    onpick?: (item: Item) => void;
  } = $props();

  const id = $props.id();
  let found = $state<Item[]>([]);
  let total = $state(0);
  let at = $state(-1);
  let open = $state(false);
  let typed = $state('');

  $effect(() => {
    const wanted = typed.trim();
    if (!wanted || !open) {
      found = [];
      return;
    }
    return askLater(
      80,
      (stop) => api.search(wanted, kind, '', 8, stop),
      (page) => ((found = page.items), (total = page.total), (at = page.items.length > 0 && onpick ? 0 : -1)),
      () => (found = []),
    );
  });

  function take(item: Item) {
    value = item.name;
    open = false;
    onpick?.(item);
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'ArrowDown' && found.length) at = (at + 1) % found.length;
    else if (event.key === 'ArrowUp' && found.length) at = (at - 1 + found.length) % found.length;
    else if (event.key === 'Enter' && open && found[at]) take(found[at]!);
    else if (event.key === 'Escape' && open) open = false;
    else return;
    event.preventDefault();
  }
</script>

<div class="field">
  <label for={id}>{label}</label>
  <input
    {id}
    {required}
    {value}
    role="combobox"
    autocomplete="off"
    spellcheck="false"
    placeholder={hint}
    aria-expanded={open && found.length > 0}
    aria-controls="{id}-list"
    aria-autocomplete="list"
    aria-activedescendant={open && at >= 0 ? `${id}-${at}` : undefined}
    oninput={(e) => ((value = typed = e.currentTarget.value), (open = true), (at = -1))}
    onkeydown={key}
    onblur={() => setTimeout(() => (open = false), 150)}
  />
  {#if open && found.length > 0}
    <ul id="{id}-list" role="listbox" aria-label={label}>
      {#each found as item, i (item.kind + item.name)}
        <!-- svelte-ignore a11y_click_events_have_key_events (keys are handled by the field) -->
        <li id="{id}-{i}" role="option" aria-selected={i === at} onmousedown={(e) => e.preventDefault()} onclick={() => take(item)}>
          <strong dir="auto">{item.title || item.name}</strong>
          <span class="figures">{item.name}{kind ? '' : ` · ${item.kind}`}</span>
        </li>
      {/each}
      {#if total > found.length}<li class="more" role="presentation">and {total - found.length} more</li>{/if}
    </ul>
  {/if}
</div>

<style>
  .field {
    position: relative;
    flex: 1 1 14rem;
    min-width: 0;
  }
  label {
    display: block;
    font-weight: 700;
    font-size: var(--small);
  }
  input {
    width: 100%;
    min-height: 2.25rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--sheet);
  }
  ul {
    position: absolute;
    z-index: 20;
    inset: 100% 0 auto;
    min-width: min(20rem, 86vw);
    list-style: none;
    background: var(--sheet);
    border: 1.5px solid var(--ink);
    box-shadow: 0 6px 18px rgb(0 0 0 / 0.18);
  }
  li {
    padding: var(--s1) var(--s3);
    border-bottom: var(--line);
    cursor: pointer;
    overflow-wrap: anywhere;
  }
  li span {
    display: block;
    color: var(--ink-soft);
  }
  li[aria-selected='true'],
  li:not(.more):hover {
    background: var(--water-wash);
  }
  .more {
    font-size: var(--small);
    color: var(--ink-soft);
    cursor: default;
  }
</style>
