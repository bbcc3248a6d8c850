<script lang="ts">
  /** A group: who is in it and how, what holds it, what it opens, and what would go. */
  import { api, Problem, type DeviceMember, type GroupInfo, type Line, type MapInfo, type Member } from '../api/client';
  import { ask, together } from '../lib/ask';
  import { givesWords, ruleOf, whenWords } from '../lib/gates';
  import { links, place } from '../lib/place.svelte';
  import { revision } from '../lib/revision.svelte';
  import { rights } from '../lib/rights.svelte';
  import type { Column } from '../lib/rows';
  import { when } from '../lib/when';
  import GroupEditor from '../parts/GroupEditor.svelte';
  import GroupPicture from '../parts/GroupPicture.svelte';
  import More from '../parts/More.svelte';
  import Notice from '../parts/Notice.svelte';
  import SheetHead from '../parts/SheetHead.svelte';
  import Table from '../parts/Table.svelte';

  let { map, name }: { map: MapInfo; name: string } = $props();

  let group = $state<GroupInfo | null>(null);
  let members = $state<readonly Member[] | null>(null);
  let devices = $state<readonly DeviceMember[]>([]);
  let total = $state(0);
  let cursor = $state('');
  let opens = $state<readonly Line[] | null>(null);
  let missing = $state<Problem | null>(null);

  $effect(() => {
    void revision.changes;
    void place.get('trial');
    return together(
      ask(() => api.group(name), (got) => ((group = got), (missing = null)), (error) => (missing = error as Problem)),
      ask(() => api.members(name), (got) => ((members = got.members), (devices = got.devices ?? []), (total = got.total), (cursor = got.next ?? ''))),
      ask(() => api.opens(name), (got) => (opens = got.lines)),
    );
  });

  async function more() {
    const got = await api.members(name, cursor);
    members = [...(members ?? []), ...got.members];
    cursor = got.next ?? '';
  }

  const hows: Record<string, string> = { direct: 'listed', primary: 'primary group', rule: 'by the rule', nested: 'by way of' };
  const ways: Column<Member | DeviceMember>[] = [
    { name: 'how', label: 'How', text: (m) => hows[m.how] ?? m.how },
    { name: 'path', label: 'Path', text: (m) => m.path.slice(0, -1).join(' › '), figures: true },
  ];
  const who: Column<Member>[] = [
    { name: 'user', label: 'Person', text: (m) => m.user, href: (m) => links.person(m.user), figures: true },
    ...ways,
  ];
  const machines: Column<DeviceMember>[] = [
    { name: 'device', label: 'Device', text: (m) => m.device, figures: true },
    ...ways,
  ];
  const lines: Column<Line>[] = [
    { name: 'system', label: 'System', text: (l) => l.system, href: (l) => links.system(l.system), figures: true },
    { name: 'line', label: 'Line', text: (l) => ruleOf(l.line), href: (l) => links.system(l.system, { line: l.line }), figures: true },
    { name: 'what', label: 'Gives', text: (l) => givesWords(l.type, l) },
    { name: 'when', label: 'When', text: (l) => whenWords(l.value ?? {}) },
    { name: 'named', label: 'Through', text: (l) => l.groups.join(', '), figures: true },
  ];
</script>

<svelte:head><title>{name} · Gate Map</title></svelte:head>

{#if missing}
  <main class="page">
    <Notice kind="wrong" title={missing.status === 404 ? 'No group of that name' : missing.title}>
      {missing.message} {#each missing.near ?? [] as near (near)}<a href={links.group(near.includes('/') ? near : `${name.split('/')[0]}/${near}`)}>{near}</a> {/each}
    </Notice>
  </main>
{:else if !group}
  <main class="page"><Notice kind="wait" title="Fetching the group …" /></main>
{:else}
  <main class="page">
    <SheetHead {map} />
    <header>
      <h1 dir="auto">{group.group.slice(group.group.indexOf('/') + 1)}</h1>
      <p><a href={place.to('/', { group: group.group })}>On the chart</a></p>
      <p class="figures soft">{group.group}{group.dn ? ` · ${group.dn}` : ''}</p>
      {#if group.description}<p dir="auto">{group.description}</p>{/if}
      <p>
        {group.kind === 'mail' ? 'A mail group: it opens nothing.' : 'A security group.'}
        Its members come from {group.members_from === 'own' ? 'its own directory' : 'any directory'}; it is usable {group.usable_in === 'host' ? `in ${group.host} only` : group.usable_in === 'own' ? 'in systems of its own directory' : 'everywhere'}.
        {group.managers.length + group.managed_by.length ? `Managed by ${[...group.managers, ...group.managed_by].join(', ')}.` : 'It has no managers.'}
      </p>
      {#if group.rule}<p>Members by rule: <code class="figures">{group.rule}</code></p>{/if}
    </header>
    <GroupPicture {group} opens={opens ?? []} members={members ?? []} />
    <section aria-label="What it opens">
      <h2>What it opens</h2>
      {#if opens}<Table name="opens" label="What it opens" rows={opens} columns={lines} nothing="It opens nothing." />{:else}<Notice kind="wait" title="Checking every system …" />{/if}
    </section>
    <section aria-label="Members">
      <h2>Members</h2>
      {#if members}
        <Table name="members" label="Members" rows={members} columns={who} nothing="No members." />
        <More shown={members.length} {total} onmore={more} />
      {:else}<Notice kind="wait" title="Fetching the members …" />{/if}
    </section>
    {#if devices.length}
      <section aria-label="Devices">
        <h2>Devices</h2>
        <Table name="devices" label="Devices" rows={devices} columns={machines} nothing="No devices." />
      </section>
    {/if}
    {#if rights.stage}<div class="no-print">{#key JSON.stringify(group)}<GroupEditor {group} />{/key}</div>{/if}
    <p class="no-print"><button class="act" onclick={() => print()}>Print this page</button> <span class="soft">as of {when(new Date().toISOString())}</span></p>
  </main>
{/if}
