/**
 * Asks a question in an effect, whose clean-up the result is. What is no longer asked is given
 * up, and neither its answer nor its failure is told: the last question asked is the one that
 * is answered, and not the last answer that arrives.
 */
export function ask<T>(question: (stop: AbortSignal) => Promise<T>, then: (got: T) => void, failed: (error: Error) => void = () => {}): () => void {
  const stop = new AbortController();
  question(stop.signal).then(
    (got) => stop.signal.aborted || then(got),
    (error: Error) => stop.signal.aborted || failed(error),
  );
  return () => stop.abort();
}

/** Asks some time after nothing else was asked, as while someone types. */
export function askLater<T>(wait: number, question: (stop: AbortSignal) => Promise<T>, then: (got: T) => void, failed?: (error: Error) => void): () => void {
  let stop = () => {};
  const timer = setTimeout(() => (stop = ask(question, then, failed)), wait);
  return () => {
    clearTimeout(timer);
    stop();
  };
}

/** One clean-up for several questions. */
export const together = (...stops: (() => void)[]) => () => stops.forEach((stop) => stop());
