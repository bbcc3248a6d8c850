<script lang="ts">
  /** What would become of a person if an attribute were another. */
  import type { Change, User } from '../api/client';
  import { place } from '../lib/place.svelte';
  import Stager from './Stager.svelte';

  let { user }: { user: User } = $props();

  const id = $props.id();
  const attributes = $derived([...new Set(['title', 'department', 'active', 'expires', ...Object.keys(user.attributes)])]);
  const attribute = $derived(place.get('attribute') || 'title');
  const now = $derived.by(() => {
    if (attribute === 'active') return String(user.active);
    if (attribute === 'expires') return user.expires ?? '';
    const v = (user.attributes as Record<string, unknown>)[attribute];
    return v === undefined ? '' : typeof v === 'string' ? v : JSON.stringify(v);
  });
  let value = $state<string | null>(null);

  function read(text: string): unknown {
    if (/^(\[|\{|true$|false$|-?\d+(\.\d+)?$)/.test(text)) {
      try {
        return JSON.parse(text);
      } catch {
        return text;
      }
    }
    return text;
  }
  const change = $derived<Change | null>(
    value === null || value === now ? null : ({ do: 'set-user', user: user.user, attribute, ...(value.trim() === '' ? {} : { value: read(value.trim()) }) } as Change),
  );
</script>

<section class="sheet" aria-label="What if">
  <h2>What if …</h2>
  <div class="fields">
    <div><label for="{id}-attribute">Attribute</label>
      <input id="{id}-attribute" list="{id}-all" value={attribute} onchange={(e) => (place.set({ attribute: e.currentTarget.value }), (value = null))} />
      <datalist id="{id}-all">{#each attributes as a (a)}<option value={a}></option>{/each}</datalist></div>
    <div class="value"><label for="{id}-value">were</label>
      <input id="{id}-value" value={value ?? now} oninput={(e) => (value = e.currentTarget.value)} /></div>
  </div>
  <Stager {change} onstaged={() => (value = null)} />
</section>

<style>
  .fields {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3);
  }
  .value {
    flex: 1 1 16rem;
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
    background: var(--paper);
  }
</style>
