import type { Component } from 'svelte';
import type { Line } from '../api/client';
import { isOff } from '../lib/gates';
import type { GateProps } from '../lib/lit';
import BreadthMatrix from './BreadthMatrix.svelte';
import Lanes from './Lanes.svelte';
import ResourceTree from './ResourceTree.svelte';
import SeatPlan from './SeatPlan.svelte';
import Sluice from './Sluice.svelte';
import TwoLocks from './TwoLocks.svelte';

/** How each type of gate is drawn. */
export const pictures: Record<string, Component<GateProps>> = {
  roles: ResourceTree,
  licences: SeatPlan,
  firewall: Sluice,
  network: Sluice,
  app: BreadthMatrix,
  files: TwoLocks,
  hosts: Lanes,
  federation: Lanes,
  signin: Lanes,
};

/** The lines that a drawing shows: where it shows their order, also those that are off. */
export const drawn = (type: string, lines: readonly Line[]): Line[] => lines.filter((l) => pictures[type] === Sluice || !isOff(l));
