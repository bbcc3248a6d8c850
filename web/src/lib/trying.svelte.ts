import { api, type Change, type Trial } from '../api/client';
import { place } from './place.svelte';

/** The trial in which one works: the one that the address names. What was staged
 * last can be unstaged. */
class Trying {
  /** What was staged last. */
  last = $state<{ trial: string; sentence: string; number: number; version: number } | null>(null);
  wrong = $state('');

  get name(): string {
    return place.get('trial');
  }

  /** Stages changes in a trial, which is begun if there is none of that name. */
  async stage(trial: string, changes: Change[]): Promise<Trial> {
    const open = (await api.trials()).trials;
    if (!open.some((t) => t.name.toLowerCase() === trial.toLowerCase())) await api.beginTrial(trial, '');
    const now = await api.stage(trial, changes);
    this.last = { trial: now.name, sentence: now.changes.at(-1)!.sentence, number: now.changes.length, version: now.version };
    this.wrong = '';
    place.set({ trial: now.name });
    return now;
  }

  /** Unstages what was staged last. */
  async unstage() {
    if (!this.last) return;
    try {
      await api.unstage(this.last.trial, this.last.number, this.last.version);
      this.last = null;
    } catch (error) {
      this.wrong = (error as Error).message;
    }
  }
}

export const trying = new Trying();
