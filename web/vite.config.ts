import { readFileSync, writeFileSync } from 'node:fs';
import { svelte } from '@sveltejs/vite-plugin-svelte';
import type { Plugin } from 'vite';
import { defineConfig } from 'vitest/config';

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
      const version = (name: string) => (JSON.parse(readFileSync(`node_modules/${name}/package.json`, 'utf8')) as { version: string }).version;
      writeFileSync('packages.txt', [...names].sort().map((name) => `${name} ${version(name)}\n`).join(''));
    },
  };
}

export default defineConfig({
  plugins: [svelte(), listPackages()],
  build: { outDir: 'dist', emptyOutDir: true, target: 'es2022', modulePreload: { polyfill: false } },
  server: { proxy: { '/api': 'http://127.0.0.1:8470' } },
});
