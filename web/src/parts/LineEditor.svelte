<script lang="ts">
  /** Changes a line of a system, moves it, drops it, or adds one: what comes of it is
   * told while one edits, and it goes into a trial. */
  import { untrack } from 'svelte';
  import { api, type Change, type Line, type MapInfo, type Schema, type SystemInfo, type Value } from '../api/client';
  import { object, ruleOf, text, texts } from '../lib/gates';
  import { conditionsOf, fieldsOf, tidy } from '../lib/lineforms';
  import ListField from './ListField.svelte';
  import Stager from './Stager.svelte';

  let { system, line, list, siblings, map, systems, onclose }: {
    system: SystemInfo;
    line: Line | null; // null: a new one
    list: string;
    siblings: readonly Line[];
    map: MapInfo;
    systems: readonly string[];
    onclose: () => void;
  } = $props();

  const id = $props.id();
  type Do = 'change-line' | 'move-line' | 'switch-line' | 'remove-line' | 'add-line';
  let act = $state<Do>(untrack(() => (line ? 'change-line' : 'add-line')));
  let value = $state<Value>(untrack(() => structuredClone($state.snapshot(line?.value ?? {}))));
  let before = $state('');
  let wrong = $state('');
  let typed = $state<Record<string, string>>({});

  let schema = $state.raw<Schema | null>(null);
  api.schema().then((s) => (schema = s), (error: Error) => (wrong = error.message));
  const fields = $derived(schema ? fieldsOf(schema, system.type, list, system.document ?? {}, map, systems) : []);
  const plain = $derived(schema !== null && fields.length === 0);
  const conditions = $derived(schema ? conditionsOf(schema, system.type, list, map) : []);
  const nameOf = (l: Line) => text(l.value?.name) || String(l.number ?? '');
  const others = $derived(siblings.filter((s) => s.line !== line?.line));

  function put(key: string, v: unknown) {
    value = { ...value, [key]: v };
  }
  function putWhen(key: string, v: readonly string[]) {
    put('when', tidy({ ...object(value.when), [key]: key === 'strength' ? v.at(-1) : v }));
  }
  function json(key: string, raw: string) {
    typed[key] = raw;
    try {
      put(key, raw.trim() === '' ? undefined : JSON.parse(raw));
      wrong = '';
    } catch {
      wrong = `${key} cannot be read yet: it is JSON, such as {"groups": ["visitors"]}.`;
    }
  }
  function whole(raw: string) {
    typed[''] = raw;
    try {
      value = JSON.parse(raw) as Value;
      wrong = '';
    } catch {
      wrong = 'The line cannot be read yet: it is JSON.';
    }
  }

  const change = $derived.by((): Change | null => {
    const at = { system: system.system, list };
    if (act === 'add-line') return Object.keys(tidy(value)).length === 0 ? null : { do: act, ...at, value: tidy(value), ...(before ? { before } : {}) };
    if (!line) return null;
    if (act === 'remove-line') return { do: act, ...at, line: nameOf(line) };
    if (act === 'switch-line') return { do: act, ...at, line: nameOf(line), value: line.value?.off === true ? 'on' : 'off' };
    if (act === 'move-line') return { do: act, ...at, line: nameOf(line), ...(before ? { before } : {}) };
    return JSON.stringify(tidy(value)) === JSON.stringify(tidy(line.value ?? {})) ? null : { do: act, ...at, line: nameOf(line), value: tidy(value) };
  });
</script>

<section class="sheet" aria-label="Change {line ? ruleOf(line.line) : 'list'}">
  <header>
    <h2>{line ? ruleOf(line.line) : `New line in ${list}`}</h2>
    <button class="act" onclick={onclose}>Close</button>
  </header>
  {#if line?.file}<p class="soft figures">{line.file}:{line.row}</p>{/if}
  {#if line}
    <div class="ways" role="group" aria-label="Action">
      {#each [['change-line', 'Change'], ['move-line', 'Move'], ['switch-line', line.value?.off === true ? 'Switch on' : 'Switch off'], ['remove-line', 'Remove']] as [d, label] (d)}
        <button aria-pressed={act === d} onclick={() => (act = d as Do)}>{label}</button>
      {/each}
    </div>
  {/if}
  {#if act === 'change-line' || act === 'add-line'}
    <div class="fields">
      {#each fields as f (f.key)}
        {#if f.kind === 'groups' || f.kind === 'users'}
          <ListField label={f.label} kind={f.kind === 'groups' ? 'group' : 'user'} values={texts(value[f.key])} onchange={(v) => put(f.key, v)} />
        {:else if f.kind === 'list'}
          <ListField label={f.label} options={f.options} values={texts(value[f.key])} onchange={(v) => put(f.key, v)} {...f.covers ? { covers: f.covers } : {}} />
        {:else if f.kind === 'flag'}
          <label class="flag"><input type="checkbox" checked={value[f.key] === true} onchange={(e) => put(f.key, e.currentTarget.checked)} /> {f.label}</label>
        {:else if f.kind === 'choice'}
          <div><label for="{id}-{f.key}">{f.label}</label>
            <select id="{id}-{f.key}" value={text(value[f.key])} onchange={(e) => put(f.key, e.currentTarget.value)}>
              {#if !f.options.includes('')}<option value="" disabled>choose</option>{/if}
              {#each new Set([text(value[f.key]), ...f.options].slice(value[f.key] ? 0 : 1)) as o (o)}<option value={o}>{o || 'none given'}</option>{/each}
            </select></div>
        {:else if f.kind === 'text'}
          <div><label for="{id}-{f.key}">{f.label}</label><input id="{id}-{f.key}" value={text(value[f.key])} oninput={(e) => put(f.key, e.currentTarget.value)} /></div>
        {:else}
          <div><label for="{id}-{f.key}">{f.label}</label><input id="{id}-{f.key}" class="figures" placeholder="JSON" value={typed[f.key] ?? (value[f.key] === undefined ? '' : JSON.stringify(value[f.key]))} oninput={(e) => json(f.key, e.currentTarget.value)} /></div>
        {/if}
        {#if f.hint}<p class="soft hint">{f.hint}</p>{/if}
      {/each}
      {#if plain}
        <div><label for="{id}-whole">The line, as JSON</label><textarea id="{id}-whole" class="figures" rows="5" value={typed[''] ?? JSON.stringify(value, null, 1)} oninput={(e) => whole(e.currentTarget.value)}></textarea></div>
      {/if}
      {#if conditions.length > 0}
        <details open={value.when !== undefined}>
          <summary>Only when …</summary>
          {#each conditions as c (c.key)}
            {@const held = texts(object(value.when)[c.key])}
            <fieldset>
              {#if c.kind === 'groups'}
                <ListField label={c.label} kind="group" values={held} onchange={(v) => putWhen(c.key, v)} />
              {:else}
                <legend>{c.label}</legend>
                {#each c.options as o (o)}
                  <label class="flag"><input type="checkbox" checked={held.includes(o)} onchange={(e) => putWhen(c.key, e.currentTarget.checked ? [...held, o] : held.filter((x) => x !== o))} /> {o}</label>
                {/each}
              {/if}
              <p class="soft hint">{c.hint}</p>
            </fieldset>
          {/each}
        </details>
      {/if}
    </div>
  {/if}
  {#if act === 'move-line' || (act === 'add-line' && others.length > 0)}
    <div class="fields"><div><label for="{id}-before">Before</label>
      <select id="{id}-before" bind:value={before}>
        <option value="">at the end</option>
        {#each others as o (o.line)}<option value={nameOf(o)}>{ruleOf(o.line)}</option>{/each}
      </select></div></div>
  {/if}
  <Stager {change} {wrong} onstaged={onclose} />
</section>

<style>
  header {
    display: flex;
    justify-content: space-between;
    gap: var(--s3);
    align-items: start;
  }
  .ways {
    display: flex;
    margin: var(--s2) 0;
  }
  .ways button {
    min-height: 1.9rem;
    padding: 0 var(--s4);
    margin-left: -1px;
    border: 1px solid var(--ink-soft);
    background: var(--paper);
    cursor: pointer;
  }
  .ways button[aria-pressed='true'] {
    background: var(--water);
    border-color: var(--water);
    color: var(--sheet);
  }
  .fields {
    display: grid;
    gap: var(--s3);
    margin-top: var(--s3);
  }
  label,
  legend {
    font-weight: 700;
    font-size: var(--small);
  }
  input:not([type='checkbox']),
  select,
  textarea {
    width: 100%;
    min-height: 2.25rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--paper);
    color: var(--ink);
  }
  .flag {
    display: inline-flex;
    gap: var(--s2);
    align-items: center;
    min-height: 24px;
    margin-right: var(--s3);
  }
  fieldset {
    border: 0;
    padding: 0;
    margin: var(--s2) 0;
  }
  .hint {
    margin: calc(-1 * var(--s2)) 0 0;
    font-size: var(--small);
  }
  fieldset .hint {
    margin: 0;
  }
  summary {
    cursor: pointer;
    font-weight: 700;
  }
</style>
