import { describe, expect, it } from 'vitest';
import examples from '../../../server/examples.json';
import { fateWords, lackWords, needWords, notesOf, stopWords, takeWords, wayWords } from './words';

takeWords(examples.words.answer); // what the service tells

describe('needs', () => {
  it.each([
    ['network:summit|office', 'from summit or office'],
    ['not-network:office', 'not from office'],
    ['window:night', 'in window night'],
    ['device:managed', 'device managed'],
    ['device-group:d/control-room', 'device in d/control-room'],
    ['not-device-group:d/x', 'device not in d/x'],
    ['not-window:night', 'outside window night'],
    ['not-strength:aal2', 'weaker than aal2'],
    ['strength:aal2', 'at least aal2'],
    ['risk:low|medium', 'risk low or medium'],
    ['before:2026-12-31T00:00:00Z', 'before 2026-12-31T00:00:00Z'],
    ['to:192.0.2.0/28', 'only to 192.0.2.0/28'],
    ['port:443', 'only port 443'],
    ['unheard-of:x|y', 'unheard-of x or y'],
  ])('%s is “%s”', (need, words) => expect(needWords(need)).toBe(words));
});

describe('ways', () => {
  it.each([
    [[[]], ['in any case']],
    [[], ['in no case']],
    [[['device:managed'], ['network:summit', 'window:night']], ['device managed', 'from summit and in window night']],
  ])('%o are %o', (open_if, words) => expect(wayWords({ open_if })).toEqual(words));
  it('says that there are more', () => expect(wayWords({ open_if: [['device:managed']], open_if_more: true })).toEqual(['device managed', 'further ways']));
  it('leaves them out of what is open', () => expect(notesOf({ state: 'open', open_if: [[]], shut_by: [] })).toEqual([]));
});

describe('what shuts', () => {
  it.each([
    [{ reason: 'condition', at: 's/mapping 1', detail: 'window:night' }, 'only in window night'],
    [{ reason: 'inactive', at: 'd/noor' }, 'account inactive'],
    [{ reason: 'prerequisite', at: 's/requires', detail: 'emails' }, 'lacks emails'],
    [{ reason: 'deny', at: 's/mapping 4' }, 'denied by mapping 4'],
    [{ reason: 'limit', at: 's/purge from the office' }, 'limit purge from the office'],
    [{ reason: 'rule', at: 'net/nobody pings' }, 'refused by nobody pings'],
    [{ reason: 'gate', at: 'door/strong', detail: 'policy strength:aal2' }, 'behind strong'],
    [{ reason: 'no-seat', at: 's/product p' }, 'no seat left'],
    [{ reason: 'unheard-of', at: 's/x', detail: 'y' }, 'unheard-of y'],
  ])('%o is “%s”', (stop, words) => expect(stopWords(stop)).toBe(words));
});

describe('what is lacking', () => {
  it.each([
    ['group:d/a', 'in d/a'],
    ['not-group:d/a', 'not in d/a'],
    ['tag-of-resource:stage=raw', 'the tag stage=raw'],
    ['unheard-of:x', 'unheard-of:x'],
  ])('%s is “%s”', (lack, words) => expect(lackWords(lack)).toBe(words));
});

it.each(['decides', 'may', 'unmet', 'overtaken', 'others', 'elsewhere', 'off', 'watched'] as const)('%s has words', (fate) => expect(fateWords(fate)).toMatch(/../));
