import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { svelte } from '@sveltejs/vite-plugin-svelte';
import { svelteTesting } from '@testing-library/svelte/vite';
import type { Plugin } from 'vite';
import { defineConfig } from 'vitest/config';

/** Packages that come as one file, in which those that they depend on are contained. */
const inOneFile = ['rapidoc'];

type About = { version: string; dependencies?: Record<string, string> };
const about = (name: string) => JSON.parse(readFileSync(`node_modules/${name}/package.json`, 'utf8')) as About;

/** Lists the packages that the console contains, whose licences go along with it. */
function listPackages(): Plugin {
  return {
    name: 'list-packages',
    apply: 'build',
    generateBundle() {
      const names = new Set<string>();
      for (const id of this.getModuleIds()) {
        const name = /.*\/node_modules\/((?:@[^/]+\/)?[^/]+)\//.exec(id)?.[1];
        if (name) names.add(name);
      }
      const within = (name: string) => {
        for (const other of Object.keys(about(name).dependencies ?? {})) {
          if (names.has(other) || !existsSync(`node_modules/${other}`)) continue;
          names.add(other);
          within(other);
        }
      };
      inOneFile.filter((name) => names.has(name)).forEach(within);
      writeFileSync('packages.txt', [...names].sort().map((name) => `${name} ${about(name).version}\n`).join(''));
    },
  };
}

export default defineConfig({
  plugins: [svelte(), svelteTesting(), listPackages()],
  build: { outDir: 'dist', emptyOutDir: true, target: 'es2022', modulePreload: { polyfill: false }, chunkSizeWarningLimit: 1000, rolldownOptions: { input: ['index.html', 'api.html'] } },
  server: { proxy: { '/api': 'http://127.0.0.1:8470' } },
});
