import { describe, expect, test } from 'vitest';
import { givesWords, pointsOf, standsIn, whenWords, whoWords } from './gates';
import examples from '../../../server/examples.json';
import { takeWords } from './words';

takeWords(examples.words.answer);

describe('lines in words', () => {
  test('for whom and when', () => {
    expect(whoWords({ groups: ['night-crew'], users: ['ivo.marescaux'], except: { groups: ['visitors'] } })).toBe('night-crew, ivo.marescaux, except visitors');
    expect(whoWords({})).toBe('all');
    expect(whenWords({ when: { windows: ['night'], not_networks: ['summit', 'office'] } })).toBe('in window night, not from summit or office');
  });
  test.each([
    ['roles', { role: 'writer', object: '/raw', where: { stage: 'raw' } }, 'writer on /raw where stage is raw'],
    ['roles', { rights: ['frames:purge'], object: '/raw' }, 'limits frames:purge on /raw'],
    ['licences', { product: 'planner', without: ['calendar'] }, 'planner without calendar'],
    ['firewall', { action: 'refuse', to: ['dome'] }, 'refuse any service to dome'],
    ['network', { verdict: 'admit', reply: { class: 'crew' } }, 'admit as crew'],
    ['hosts', { commands: ['/opt/dome/shutter *'], as: 'dome', hosts: ['dome'] }, 'run /opt/dome/shutter * as dome on dome'],
    ['signin', { then: { require: ['aal2'] }, apps: ['archive'], mode: 'watch' }, 'asks for aal2 at archive (watch)'],
  ])('what a line of type %s gives', (type, value, words) => {
    expect(givesWords(type, { line: 'x/y', value })).toBe(words);
  });
  test('what can be asked about', () => {
    expect(pointsOf('licences', { products: [{ product: 'suite', features: ['viewer', { feature: 'cluster', needs: ['viewer'] }] }] }, [])).toEqual({ objects: ['suite'], rights: ['viewer', 'cluster'] });
    expect(pointsOf('signin', {}, ['archive']).objects).toEqual(['archive']);
    expect(pointsOf('files', { shares: [{ share: 'logs', folders: [{ path: '/' }, { path: '/shift' }] }] }, []).objects).toEqual(['logs:/', 'logs:/shift']);
  });
});

test('a line stands in a list by the names on the way, or by numbers', () => {
  const door = ['shares', ['charts', 1], 'door'] as const;
  expect(standsIn({ list: 'shares > charts > door' }, ...door)).toBe(true);
  expect(standsIn({ list: 'shares > 2 > door' }, ...door)).toBe(true);
  expect(standsIn({ list: 'shares > 1 > door' }, ...door)).toBe(false);
  expect(standsIn({ list: 'shares > logs > door' }, ...door)).toBe(false);
  expect(standsIn({ list: 'shares > charts' }, ...door)).toBe(false);
  expect(standsIn({}, ...door)).toBe(false);
});
