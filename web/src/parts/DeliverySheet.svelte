<script lang="ts">
  /** What a delivery does, statement by statement, and what it does not. */
  import type { DeliveryPlan } from '../api/client';

  let { plan }: { plan: DeliveryPlan } = $props();

  const parts = [
    { effect: 'takes', sign: '−', title: 'Takes away' },
    { effect: 'prepares', sign: '·', title: 'Prepares' },
    { effect: 'gives', sign: '+', title: 'Gives' },
  ] as const;
  const of = (effect: string) => plan.statements.filter((s) => s.effect === effect);
  const handed = $derived(plan.delivery.state === 'handed out' || plan.delivery.done !== undefined);
</script>

{#snippet left(title: string, list: DeliveryPlan['left'])}
  {#if list.length}
    <section aria-label={title}>
      <h3>{title}</h3>
      <ul>{#each list as l (l.line + l.whom + l.why)}<li><span class="figures">{l.line}</span> {#if l.whom}<span class="figures soft">{l.whom}</span>{/if} {l.sentence}</li>{/each}</ul>
    </section>
  {/if}
{/snippet}

{#each parts as part (part.effect)}
  {@const list = of(part.effect)}
  {#if list.length}
    <section class={part.effect} aria-label={part.title}>
      <h3>{part.title} <small class="soft">{list.length} {list.length === 1 ? 'statement' : 'statements'}</small></h3>
      <ol>
        {#each list as s ((s.on ?? '') + s.text)}
          <li class:done={s.done}>
            <b aria-hidden="true">{part.sign}</b>
            <span><code class="figures">{s.text}</code><br /><span class="soft">{s.on ? `${s.on}: ` : ''}{s.for}{handed ? (s.done ? '; done' : '; not done yet') : ''}</span></span>
          </li>
        {/each}
      </ol>
    </section>
  {/if}
{/each}
{@render left('Not delivered', plan.left)}
{@render left('Given without its condition, as the link says', plan.through)}
{#if plan.problems.length}
  <section aria-label="Names that cannot be delivered">
    <h3>Names that cannot be delivered</h3>
    <ul>{#each plan.problems as p (p.record + p.name + p.why)}<li>{p.sentence}</li>{/each}</ul>
  </section>
{/if}
{#if plan.stays.length}
  <section aria-label="Held there beside our names">
    <h3>Held there beside our names, and stays</h3>
    <ul>{#each plan.stays as s (s)}<li>{s}</li>{/each}</ul>
  </section>
{/if}

<style>
  section {
    margin-top: var(--s4);
  }
  h3 {
    font-size: var(--plain);
  }
  ul,
  ol {
    list-style: none;
    padding: 0;
  }
  li {
    padding: var(--s1) 0;
    border-bottom: var(--line);
    overflow-wrap: anywhere;
  }
  ol li {
    display: flex;
    gap: var(--s2);
  }
  code {
    white-space: pre-wrap;
  }
  .takes b {
    color: var(--shut);
  }
  .gives b {
    color: var(--open);
  }
  .done code {
    text-decoration: line-through;
  }
</style>
