<script lang="ts">
  import { api } from '../api/client';
  import Contours from '../parts/Contours.svelte';

  let { expired, onSignedIn }: { expired: boolean; onSignedIn: () => void } = $props();

  let token = $state('');
  let wrong = $state('');
  let busy = $state(false);

  async function signIn(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      await api.signIn(token.trim());
      onSignedIn();
    } catch (error) {
      wrong = (error as Error).message;
    } finally {
      busy = false;
    }
  }
</script>

<svelte:head><title>Sign in · Gate Map</title></svelte:head>

<main>
  <Contours />
  <form onsubmit={signIn}>
    <h1>Gate Map</h1>
    <p class="lead">What people can do, why, and why not.</p>
    {#if expired}<p role="status">Your session has ended. Sign in, and you are back where you were.</p>{/if}
    <label for="token">Token</label>
    <!-- svelte-ignore a11y_autofocus -->
    <input
      id="token"
      type="password"
      class="figures"
      autocomplete="current-password"
      autofocus
      required
      bind:value={token}
      aria-invalid={wrong !== ''}
      aria-describedby="token-help"
    />
    <p id="token-help" class:wrong role={wrong ? 'alert' : undefined}>
      {wrong || 'The service printed it when it first started.'}
    </p>
    <button disabled={busy}>Sign in</button>
  </form>
</main>

<style>
  main {
    position: relative;
    z-index: 0;
    min-height: 100vh;
    display: grid;
    align-items: center;
    padding: var(--s6) clamp(var(--s4), 10vw, 10rem);
  }
  form {
    width: min(26rem, 100%);
    padding: var(--s8);
    background: var(--sheet);
    border: 1px solid var(--hair);
    border-top: 4px solid var(--ink);
  }
  h1 {
    font-size: 2.5rem;
  }
  .lead {
    margin-bottom: var(--s6);
    color: var(--ink-soft);
  }
  label {
    display: block;
    font-weight: 700;
  }
  input {
    width: 100%;
    padding: var(--s3);
    border: 1.5px solid var(--ink);
    border-radius: var(--corner);
    background: var(--paper);
  }
  #token-help {
    min-height: 3rem;
    padding-top: var(--s1);
    color: var(--ink-soft);
  }
  #token-help.wrong {
    color: var(--shut);
  }
  button {
    min-height: 2.5rem;
    padding: 0 var(--s6);
    border: 0;
    border-radius: var(--corner);
    background: var(--ink);
    color: var(--paper);
    font-weight: 700;
    cursor: pointer;
  }
  [role='status'] {
    margin-bottom: var(--s4);
    padding: var(--s2) var(--s3);
    background: var(--depends-wash);
  }
</style>
