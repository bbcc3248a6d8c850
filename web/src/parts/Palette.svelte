<script lang="ts">
  /** Finds people, groups, systems, devices and lines, and runs actions, by their words. */
  import { api, type Item } from '../api/client';
  import { askLater } from '../lib/ask';
  import { light } from '../lib/light.svelte';
  import { led } from '../lib/pages';
  import { links, place } from '../lib/place.svelte';
  import { rights } from '../lib/rights.svelte';
  import { situation } from '../lib/situation.svelte';

  let { onclose }: { onclose: () => void } = $props();

  interface Choice {
    kind: string;
    label: string;
    detail: string;
    run: () => void;
  }

  let text = $state('');
  let found = $state<Item[]>([]);
  let at = $state(0);
  let behind = false; // what is found is not yet of the text
  let entered = false; // the first that is found is to be run
  let dialog: HTMLDialogElement;

  const go = (to: string) => () => place.go(to);
  const actions: Choice[] = [
    ...led((right) => rights.has(right)).map((page) => ({ kind: 'page', label: page.label, detail: 'go there', run: go(place.to(page.path)) })),
    { kind: 'action', label: 'Switch light and dark colours', detail: '', run: () => light.turn() },
    { kind: 'action', label: 'Set the whole situation to any', detail: '', run: () => situation.clear() },
    { kind: 'action', label: 'Look at what is in force', detail: 'leave the trial', run: () => place.set({ trial: '' }) },
    { kind: 'action', label: 'Print this page', detail: '', run: () => print() },
    { kind: 'action', label: 'Copy the link to this page', detail: '', run: () => void navigator.clipboard.writeText(location.href) },
  ];

  const where: Record<string, (item: Item) => string> = {
    user: (item) => links.person(item.name),
    group: (item) => links.group(item.name),
    system: (item) => links.system(item.name),
    device: (item) => place.to('/people', { find: item.name }),
    line: (item) => links.system(item.name.slice(0, item.name.indexOf('/')), { line: item.name }),
  };
  const names: Record<string, string> = { user: 'person', line: 'line' };

  const choices = $derived<Choice[]>([
    ...actions.filter((a) => !text.trim() || text.toLowerCase().trim().split(/\s+/).every((w) => a.label.toLowerCase().includes(w))).slice(0, text.trim() ? 4 : 20),
    ...found.map((item) => ({ kind: names[item.kind] ?? item.kind, label: item.title || item.name, detail: item.title ? item.name : (item.detail ?? ''), run: go(where[item.kind]!(item)) })),
  ]);

  $effect(() => dialog.showModal());
  $effect(() => {
    const wanted = text.trim();
    at = 0;
    entered = false;
    behind = wanted !== '';
    if (!wanted) {
      found = [];
      return;
    }
    return askLater(
      80,
      (stop) => Promise.all((['user', 'group', 'system', 'line'] as const).map((kind) => api.search(wanted, kind, '', kind === 'user' ? 6 : 4, stop).catch(() => null))),
      (kinds) => {
        found = kinds.flatMap((page) => page?.items ?? []);
        behind = false;
        if (entered) run(choices[at]);
      },
    );
  });

  function run(choice: Choice | undefined) {
    if (!choice) return;
    onclose();
    choice.run();
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'ArrowDown') at = (at + 1) % Math.max(1, choices.length);
    else if (event.key === 'ArrowUp') at = (at - 1 + choices.length) % Math.max(1, choices.length);
    else if (event.key === 'Enter' && behind) entered = true;
    else if (event.key === 'Enter') run(choices[at]);
    else return;
    event.preventDefault();
    document.getElementById(`found-${at}`)?.scrollIntoView({ block: 'nearest' });
  }
</script>

<dialog bind:this={dialog} aria-label="Find anything" {onclose} onclick={(e) => e.target === dialog && onclose()}>
  <input
    role="combobox"
    aria-label="A name, some words, or what to do"
    aria-expanded="true"
    aria-controls="found"
    aria-activedescendant="found-{at}"
    placeholder="A name, some words, or what to do"
    autocomplete="off"
    spellcheck="false"
    bind:value={text}
    onkeydown={key}
  />
  <ul id="found" role="listbox" aria-label="Found">
    {#each choices as c, i (c.kind + c.label + c.detail)}
      <!-- svelte-ignore a11y_click_events_have_key_events (keys are handled by the field) -->
      <li id="found-{i}" role="option" aria-selected={i === at} onclick={() => run(c)}>
        <span class="kind">{c.kind}</span><strong dir="auto">{c.label}</strong><span class="figures">{c.detail}</span>
      </li>
    {:else}
      <li role="presentation" class="nothing">Nothing of that name.</li>
    {/each}
  </ul>
</dialog>

<style>
  dialog {
    width: min(44rem, 94vw);
    margin: 10vh auto auto;
    padding: 0;
    border: 2px solid var(--ink);
    background: var(--sheet);
    color: var(--ink);
  }
  dialog::backdrop {
    background: rgb(0 0 0 / 0.35);
  }
  input {
    width: 100%;
    padding: var(--s4);
    border: 0;
    border-bottom: 2px solid var(--ink);
    background: var(--paper);
    font-size: var(--large);
  }
  input:focus-visible {
    outline-offset: -3px;
  }
  ul {
    list-style: none;
    max-height: 55vh;
    overflow-y: auto;
  }
  li {
    display: grid;
    grid-template-columns: 4.5rem minmax(0, auto) minmax(0, 1fr);
    gap: var(--s3);
    align-items: baseline;
    padding: var(--s1) var(--s4);
    border-bottom: var(--line);
    cursor: pointer;
    overflow-wrap: anywhere;
  }
  .kind,
  .figures,
  .nothing {
    color: var(--ink-soft);
    font-size: var(--small);
  }
  li[aria-selected='true'] {
    background: var(--water-wash);
    box-shadow: inset 4px 0 0 var(--water);
  }
</style>
