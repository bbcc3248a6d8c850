/** The page that shows the description of the API. */
import '@fontsource/alegreya-sans/latin-400.css';
import '@fontsource/alegreya-sans/latin-700.css';
import '@fontsource-variable/spline-sans-mono';
import './tokens.css';
import './reference.css';
import 'rapidoc';

/** What the component that draws the reference can do that is used here. */
interface Reference extends HTMLElement {
  loadSpec(description: object): Promise<void>;
}

const dark = matchMedia('(prefers-color-scheme: dark)').matches;
if (dark) document.documentElement.dataset.light = 'dark';

/** A colour, or another value, of the console's own. */
const token = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();

const attributes: Record<string, string> = {
  'render-style': 'read',
  'schema-style': 'table',
  'load-fonts': 'false',
  'show-header': 'false',
  'allow-try': 'false',
  'allow-authentication': 'false',
  'allow-server-selection': 'false',
  'allow-spec-file-download': 'true',
  'show-method-in-nav-bar': 'as-plain-text',
  'use-path-in-nav-bar': 'false',
  'nav-item-spacing': 'compact',
  'response-area-height': '30rem',
  'default-schema-tab': 'example',
  theme: dark ? 'dark' : 'light',
  'bg-color': token('paper'),
  'text-color': token('ink'),
  'nav-bg-color': token('fold'),
  'nav-text-color': token('ink'),
  'primary-color': token('water'),
  'regular-font': token('words'),
  'mono-font': token('figures'),
};

/** Says in words why there is nothing to see. */
function instead(place: HTMLElement, title: string, detail: string): void {
  const heading = document.createElement('h1');
  heading.textContent = title;
  const text = document.createElement('p');
  text.textContent = detail;
  const link = document.createElement('a');
  link.href = '/';
  link.textContent = 'To the console';
  place.setAttribute('role', 'alert');
  place.replaceChildren(heading, text, link);
}

async function show(place: HTMLElement): Promise<void> {
  const response = await fetch('/api/v1/openapi.json').catch(() => undefined);
  if (!response) return instead(place, 'The service cannot be reached', 'The service does not answer. Is it still running?');
  if (response.status === 401) return instead(place, 'Sign in first', 'The reference is for those who may use the API: sign in to the console, then come back.');
  if (!response.ok) return instead(place, 'The reference cannot be shown', `The service answered ${response.status}.`);
  const description = (await response.json()) as object;
  const reference = document.createElement('rapi-doc') as Reference;
  for (const [name, value] of Object.entries(attributes)) reference.setAttribute(name, value);
  place.replaceChildren(reference);
  await reference.loadSpec(description);
}

const place = document.getElementById('reference');
if (place) void show(place);
