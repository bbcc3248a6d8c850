import { expect, test } from 'vitest';
import { ask, askLater, together } from './ask';

/** A question that is answered when told to. */
function open<T>() {
  let answer!: (got: T) => void, fail!: (error: Error) => void;
  const promise = new Promise<T>((a, f) => ([answer, fail] = [a, f]));
  return { promise, answer, fail };
}

const settle = () => new Promise((done) => setTimeout(done));

test('the answer of a question that was asked before is left out, though it comes last', async () => {
  const [first, second] = [open<string>(), open<string>()];
  const told: string[] = [];
  let given: AbortSignal | undefined;
  const stop = ask((s) => ((given = s), first.promise), (got) => told.push(got));
  stop();
  expect(given!.aborted).toBe(true);
  ask(() => second.promise, (got) => told.push(got));
  second.answer('second');
  await settle();
  first.answer('first');
  await settle();
  expect(told).toEqual(['second']);
});

test('so is its failure', async () => {
  const [first, second] = [open<string>(), open<string>()];
  const failed: string[] = [];
  const stop = together(ask(() => first.promise, () => {}, (e) => failed.push(e.message)));
  ask(() => second.promise, () => {}, (e) => failed.push(e.message));
  stop();
  first.fail(new Error('first'));
  second.fail(new Error('second'));
  await settle();
  expect(failed).toEqual(['second']);
});

test('what is asked later is not asked at all where it is given up before', async () => {
  const asked: string[] = [];
  const late = (what: string) => askLater(1, () => (asked.push(what), Promise.resolve(what)), () => {});
  late('a')();
  late('b');
  await new Promise((done) => setTimeout(done, 20));
  expect(asked).toEqual(['b']);
});
