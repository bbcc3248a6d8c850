/** The pages of the console: the one table that routing, navigation and the palette read. */
import type { Component } from 'svelte';
import type { MapInfo, SignedIn } from '../api/client';

/** What every page is given: the map in force, and what the address names. */
export interface Shown {
  map: MapInfo;
  name: string;
}

/** The parts of the navigation, in their order: what is, what changes it, what must be watched. */
export const groups = ['Map', 'Change', 'Watch', 'Admin'] as const;
export type Group = (typeof groups)[number];

export interface Page {
  /** Where the page is; with /: at its end, what comes after names what it shows. */
  path: string;
  /** What it is called in the navigation; without one it is reached by links. */
  label?: string;
  /** The part of the navigation in which it stands. */
  group?: Group;
  /** The right without which nobody is led there. */
  right?: SignedIn['rights'][number];
  load: () => Promise<{ default: Component<Shown> }>;
}

export const pages: Page[] = [
  { path: '/', label: 'Chart', group: 'Map', load: () => import('../pages/Chart.svelte') },
  { path: '/people', label: 'People', group: 'Map', load: () => import('../pages/People.svelte') },
  { path: '/people/:', load: () => import('../pages/Person.svelte') },
  { path: '/as/:', load: () => import('../pages/SeeAs.svelte') },
  { path: '/groups', label: 'Groups', group: 'Map', load: () => import('../pages/Groups.svelte') },
  { path: '/groups/:', load: () => import('../pages/Group.svelte') },
  { path: '/systems', label: 'Systems', group: 'Map', load: () => import('../pages/Systems.svelte') },
  { path: '/systems/:', load: () => import('../pages/System.svelte') },
  { path: '/trials', label: 'Trials', group: 'Change', load: () => import('../pages/Trials.svelte') },
  { path: '/trials/:', load: () => import('../pages/Trial.svelte') },
  { path: '/guarantees', label: 'Guarantees', group: 'Watch', load: () => import('../pages/Guarantees.svelte') },
  { path: '/findings', label: 'Findings', group: 'Watch', load: () => import('../pages/Findings.svelte') },
  { path: '/drift', label: 'Drift', group: 'Watch', load: () => import('../pages/Drift.svelte') },
  { path: '/notices', label: 'Notices', group: 'Watch', load: () => import('../pages/Notices.svelte') },
  { path: '/intake', label: 'Intake', group: 'Change', load: () => import('../pages/Intake.svelte') },
  { path: '/deliveries', label: 'Deliveries', group: 'Change', load: () => import('../pages/Deliveries.svelte') },
  { path: '/history', label: 'History', group: 'Change', load: () => import('../pages/History.svelte') },
  { path: '/audit', label: 'Audit', group: 'Admin', right: 'audit', load: () => import('../pages/Audit.svelte') },
  { path: '/settings', label: 'Settings', group: 'Admin', right: 'administer', load: () => import('../pages/Settings.svelte') },
  { path: '/account', load: () => import('../pages/Account.svelte') },
];

/** Finds the page at an address, with what the address names. */
export function pageAt(path: string): { page: Page; name: string } | undefined {
  for (const page of pages) {
    const stem = page.path.endsWith('/:') ? page.path.slice(0, -1) : '';
    if (path === page.path) return { page, name: '' };
    if (stem && path.startsWith(stem) && path.length > stem.length) return { page, name: decodeURIComponent(path.slice(stem.length)) };
  }
  return undefined;
}

/** The pages that the navigation leads someone to who has these rights. */
export const led = (has: (right: NonNullable<Page['right']>) => boolean): (Page & { label: string })[] =>
  pages.filter((page): page is Page & { label: string } => page.label !== undefined && (page.right === undefined || has(page.right)));
