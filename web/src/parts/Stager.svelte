<script lang="ts">
  /** What a change would do, and its way into a trial. */
  import { untrack } from 'svelte';
  import { api, type Change, type Impact } from '../api/client';
  import { ask, askLater } from '../lib/ask';
  import { effectSign, tally } from '../lib/trial';
  import { trying } from '../lib/trying.svelte';
  import { rights } from '../lib/rights.svelte';

  let { change, wrong = '', label = 'Stage the change', onstaged }: { change: Change | null; wrong?: string; label?: string; onstaged?: () => void } = $props();

  const id = $props.id();
  let impact = $state<Impact | null>(null);
  let problem = $state('');
  let busy = $state(false);
  let open = $state<string[]>([]);
  let into = $state(untrack(() => trying.name) || `changes-${new Date().toISOString().slice(0, 10)}`);

  const asked = $derived(change ? JSON.stringify(change) : '');
  $effect(() => {
    return ask(() => api.trials(), (all) => (open = all.trials.map((t) => t.name)));
  });
  $effect(() => {
    impact = null;
    problem = '';
    if (!asked) return;
    return askLater(250, (stop) => api.impact(JSON.parse(asked) as Change, {}, stop), (got) => (impact = got), (error) => (problem = error.message));
  });

  const turned = $derived(
    impact?.turned
      ? [
          ...impact.turned.guarantees.broken.map((g) => `breaks the guarantee ${g}`),
          ...impact.turned.guarantees.mended.map((g) => `mends the guarantee ${g}`),
          ...impact.turned.findings.new.map((f) => `new ${f.severity}: ${f.message}`),
          ...impact.turned.findings.gone.map((f) => `no longer: ${f.message}`),
        ]
      : [],
  );

  async function stage() {
    if (!change) return;
    busy = true;
    try {
      await trying.stage(into.trim(), [change]);
      onstaged?.();
    } catch (error) {
      problem = (error as Error).message;
    } finally {
      busy = false;
    }
  }
</script>

<div class="stager" aria-live="polite">
  {#if wrong || problem}<p class="wrong" role="alert">{wrong || problem}</p>{/if}
  {#if impact}
    <p>{impact.sentence}</p>
    <p><strong>{tally(impact.total)}</strong>{impact.people ? `, for ${impact.people} ${impact.people === 1 ? 'person' : 'people'}` : ''}.{impact.passes?.length ? ` It passes ${impact.passes.join(', ')}.` : ''}</p>
    {#if impact.by_person.length}
      <p class="soft">{impact.by_person.slice(0, 5).map((p) => `${p.name} (${tally(p)})`).join('; ')}{impact.by_person.length > 5 ? ' …' : ''}</p>
    {/if}
    {#if impact.items.length}
      <details>
        <summary>Details</summary>
        <ul>{#each impact.items as x, i (i)}<li><span class="figures">{effectSign[x.effect]}</span> {x.effect === 'change' ? `${x.before?.state} → ${x.after?.state}: ` : ''}{(x.after ?? x.before)!.right} on {(x.after ?? x.before)!.object} of {(x.after ?? x.before)!.system}, {x.user}</li>{/each}</ul>
        {#if impact.next}<p class="soft">and more: the trial shows all effects.</p>{/if}
      </details>
    {/if}
    {#each turned.slice(0, 5) as t, i (i)}<p class="soft">{t}</p>{/each}
    {#if turned.length > 5}<p class="soft">and {turned.length - 5} more findings and guarantees</p>{/if}
  {:else if asked && !problem && !wrong}
    <p class="soft">Computing what the change would do …</p>
  {/if}
  {#if rights.stage}
    <div class="into">
      <label for="{id}-into">In the trial</label>
      <input id="{id}-into" list="{id}-open" bind:value={into} pattern="[a-zA-Z0-9][a-zA-Z0-9._\-]*" />
      <datalist id="{id}-open">{#each open as name (name)}<option value={name}></option>{/each}</datalist>
      <button type="button" onclick={stage} disabled={!change || busy || !!wrong || !into.trim()}>{label}</button>
    </div>
  {:else}
    <p class="soft">Your role cannot stage changes.</p>
  {/if}
</div>

<style>
  .stager {
    margin-top: var(--s3);
    padding-top: var(--s3);
    border-top: 1px solid var(--hair);
  }
  p {
    overflow-wrap: anywhere;
    margin-bottom: var(--s1);
  }
  .soft {
    color: var(--ink-soft);
    font-size: var(--small);
  }
  .wrong {
    padding: var(--s2) var(--s3);
    background: var(--shut-wash);
  }
  ul {
    list-style: none;
    padding: 0;
    font-size: var(--small);
    overflow-wrap: anywhere;
  }
  summary {
    cursor: pointer;
  }
  .into {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s2) var(--s3);
    align-items: center;
    margin-top: var(--s2);
  }
  label {
    font-weight: 700;
    font-size: var(--small);
  }
  input {
    flex: 0 1 14rem;
    min-width: 8rem;
    min-height: 2.25rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--sheet);
  }
  button {
    min-height: 2.25rem;
    padding: 0 var(--s6);
    border: 0;
    border-radius: var(--corner);
    background: var(--ink);
    color: var(--paper);
    font-weight: 700;
    cursor: pointer;
  }
  button:disabled {
    background: var(--fold);
    color: var(--ink-soft);
    cursor: default;
  }
</style>
