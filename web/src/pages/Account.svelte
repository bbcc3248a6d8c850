<script lang="ts">
  /** Your own password and tokens. */
  import { api, type MapInfo } from '../api/client';
  import Notice from '../parts/Notice.svelte';
  import TokenList from '../parts/TokenList.svelte';

  let { map }: { map: MapInfo } = $props();

  let wrong = $state('');
  let shown = $state('');
  let old = $state('');
  let fresh = $state('');
  let again = $state('');

  async function attempt(work: () => Promise<string>) {
    try {
      shown = await work();
      wrong = '';
    } catch (error) {
      wrong = (error as Error).message;
    }
  }
  const change = () =>
    attempt(async () => {
      if (fresh !== again) throw new Error('The two new passwords differ.');
      await api.changeOwnPassword({ old, new: fresh });
      old = fresh = again = '';
      return 'Your password is changed. Your sessions and tokens have ended: sign in again.';
    });
</script>

<svelte:head><title>Account · Gate Map</title></svelte:head>

<main class="page">
  <h1>Your account at {map.title}</h1>
  {#if wrong}<Notice kind="wrong" title="That did not work">{wrong}</Notice>{/if}
  {#if shown}<p role="status" class="shown figures">{shown}</p>{/if}

  <section aria-labelledby="password">
    <h2 id="password">Password</h2>
    <p>At least 12 characters, none of the most common ones, and without your name. Changing it ends your sessions and tokens.</p>
    <form onsubmit={(e) => (e.preventDefault(), change())}>
      <label>Your password <input type="password" required autocomplete="current-password" bind:value={old} /></label>
      <label>New password <input type="password" required minlength="12" autocomplete="new-password" bind:value={fresh} /></label>
      <label>New password again <input type="password" required autocomplete="new-password" bind:value={again} /></label>
      <button class="act main">Change the password</button>
    </form>
  </section>

  <section aria-labelledby="tokens">
    <h2 id="tokens">Your tokens</h2>
    <p>A token acts as you, with your role or a weaker one: what it does is done by you.</p>
    <TokenList all={false} {attempt} />
  </section>
</main>

<style>
  form {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s3);
    align-items: end;
    margin-top: var(--s3);
  }
  label {
    display: grid;
    font-weight: 700;
    font-size: var(--small);
  }
  input {
    min-height: 2.25rem;
    padding: 0 var(--s3);
    border: 1px solid var(--ink-soft);
    border-radius: var(--corner);
    background: var(--sheet);
    color: var(--ink);
  }
  .shown {
    padding: var(--s3);
    background: var(--water-wash);
    overflow-wrap: anywhere;
  }
</style>
