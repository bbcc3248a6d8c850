<script lang="ts">
  import { api } from '../api/client';
  import Contours from '../parts/Contours.svelte';

  let { expired, provider, onSignedIn }: { expired: boolean; provider: boolean; onSignedIn: () => void } = $props();

  let by = $state<'token' | 'name'>('token');
  let token = $state('');
  let name = $state('');
  let password = $state('');
  let code = $state('');
  let wrong = $state('');
  let busy = $state(false);

  async function signIn(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      await api.signIn(by === 'token' ? { token: token.trim() } : { name, password, ...(code ? { code } : {}) });
      onSignedIn();
    } catch (error) {
      wrong = (error as Error).message;
    } finally {
      busy = false;
    }
  }

  function turn() {
    by = by === 'token' ? 'name' : 'token';
    wrong = '';
  }
</script>

<svelte:head><title>Sign in · Gate Map</title></svelte:head>

<main>
  <Contours />
  <form onsubmit={signIn}>
    <h1>Gate Map</h1>
    <p class="lead">What people can do, why, and why not.</p>
    {#if expired}<p role="status">Your session has ended. Sign in, and you are back where you were.</p>{/if}
    {#if provider}
      <p class="provider">{#if expired}<a href="/api/v1/sign-in/provider" target="_blank" rel="opener">Sign in with your organisation, in another tab</a>{:else}<a href="/api/v1/sign-in/provider">Sign in with your organisation</a>{/if}</p>
    {/if}
    {#if by === 'token'}
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
        aria-describedby="help"
      />
    {:else}
      <label for="name">Name</label>
      <!-- svelte-ignore a11y_autofocus -->
      <input id="name" autocomplete="username" autofocus required bind:value={name} aria-invalid={wrong !== ''} aria-describedby="help" />
      <label for="password">Password</label>
      <input id="password" type="password" autocomplete="current-password" required bind:value={password} />
      <label for="code">Code of the second factor, if there is one</label>
      <input id="code" class="figures" inputmode="numeric" autocomplete="one-time-code" maxlength="6" bind:value={code} />
    {/if}
    <p id="help" class:wrong role={wrong ? 'alert' : undefined}>
      {wrong || (by === 'token' ? 'The service printed it when it first started.' : 'An admin of this service gives out names and passwords.')}
    </p>
    <button disabled={busy}>Sign in</button>
    <button type="button" class="other" onclick={turn}>{by === 'token' ? 'With a name and a password' : 'With a token'}</button>
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
  #help {
    min-height: 3rem;
    padding-top: var(--s1);
    color: var(--ink-soft);
  }
  #help.wrong {
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
  .other {
    padding: 0 var(--s4);
    background: none;
    color: var(--water);
    font-weight: 400;
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .provider a {
    display: block;
    margin-bottom: var(--s6);
    padding: var(--s3);
    border: 1.5px solid var(--water);
    border-radius: var(--corner);
    background: var(--water-wash);
    font-weight: 700;
    text-align: center;
  }
  input + label {
    margin-top: var(--s3);
  }
  [role='status'] {
    margin-bottom: var(--s4);
    padding: var(--s2) var(--s3);
    background: var(--depends-wash);
  }
</style>
