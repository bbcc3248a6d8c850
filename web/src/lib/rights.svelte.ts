/** What the one who is signed in may do. */
class Rights {
  #held = $state<readonly string[]>([]);

  take(held: readonly string[]) {
    this.#held = held;
  }

  has(right: string): boolean {
    return this.#held.includes(right);
  }

  get stage(): boolean {
    return this.has('stage');
  }

  get commit(): boolean {
    return this.has('commit');
  }
}

export const rights = new Rights();
