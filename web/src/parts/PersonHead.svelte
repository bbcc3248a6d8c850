<script lang="ts">
  /** Who a person is. */
  import type { User } from '../api/client';
  import { links, place } from '../lib/place.svelte';

  let { user, others = [] }: { user: User; others?: readonly { user: string; active: boolean }[] | null } = $props();

  const text = (key: string) => {
    const value = (user.attributes as Record<string, unknown>)[key];
    return Array.isArray(value) ? value.join(', ') : value === undefined ? '' : String(value);
  };
  const facts = $derived(
    [text('title'), text('department'), text('addresses.locality'), text('emails')].filter((t) => t !== ''),
  );
  const ends = $derived(user.expires ? user.expires.slice(0, 10) : '');
</script>

<div class="head">
  <h1 dir="auto">{user.display_name || user.user}</h1>
  <p class="figures name">{user.user}</p>
  <p>{facts.join(' · ')}</p>
  <p><a href={place.to('/', { user: user.user })}>On the chart</a></p>
  {#if !user.active}<p class="account off">Status: inactive</p>{/if}
  {#if ends}<p class="account">Expires {ends}</p>{/if}
  {#if others?.length}<p>Also {#each others as o (o.user)}<a class="figures" href={links.person(o.user)}>{o.user}</a>{o.active ? '' : ' (inactive)'} {/each}</p>{/if}
</div>

<style>
  .head {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: 0 var(--s4);
    padding: var(--s4) var(--edge) var(--s3);
  }
  h1 {
    font-size: var(--title);
    overflow-wrap: anywhere;
  }
  .name {
    color: var(--ink-soft);
    overflow-wrap: anywhere;
  }
  .account {
    padding: 0 var(--s2);
    background: var(--depends-wash);
    border-radius: var(--corner);
    font-weight: 700;
  }
  .off {
    background: var(--shut-wash);
    color: var(--shut);
  }
</style>
