type Choice = 'light' | 'dark';

const kept = localStorage.getItem('light');
const system = matchMedia('(prefers-color-scheme: dark)');

/** Light or dark: what was chosen here, else what the system says. */
class Light {
  #chosen = $state<Choice | null>(kept === 'light' || kept === 'dark' ? kept : null);
  #system = $state<Choice>(system.matches ? 'dark' : 'light');

  constructor() {
    system.addEventListener('change', () => (this.#system = system.matches ? 'dark' : 'light'));
  }

  get now(): Choice {
    return this.#chosen ?? this.#system;
  }

  turn() {
    this.#chosen = this.now === 'dark' ? 'light' : 'dark';
    localStorage.setItem('light', this.#chosen);
  }
}

export const light = new Light();
