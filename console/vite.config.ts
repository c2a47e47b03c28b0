import { gzipSync } from 'node:zlib';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { defineConfig } from 'vitest/config';
import type { Plugin } from 'vite';
import babel from '@rolldown/plugin-babel';
import { lingui } from '@lingui/vite-plugin';
import react from '@vitejs/plugin-react';

// what failed is told by a grouping that Node 20 lacks
(Map as unknown as Record<string, unknown>).groupBy ??= <K, V>(all: Iterable<V>, key: (each: V, n: number) => K) => {
  const found = new Map<K, V[]>();
  [...all].forEach((each, n) => {
    const mine = key(each, n);
    found.set(mine, [...(found.get(mine) ?? []), each]);
  });
  return found;
};

/** Marks what is said before anything is read, and so shares no page. */
const MARKED = 'tests/translated.test.tsx';
const API = process.env.NOCTILUM_API ?? 'http://127.0.0.1:8417';

/** Writes a .gz twin beside each script and style, which the service sends where the browser takes it. */
function squeezed(): Plugin {
  return {
    name: 'squeezed',
    apply: 'build',
    writeBundle(options) {
      const folder = join(options.dir ?? 'dist', 'assets');
      for (const name of readdirSync(folder)) {
        if (/\.(js|css)$/.test(name)) {
          writeFileSync(join(folder, `${name}.gz`), gzipSync(readFileSync(join(folder, name)), { level: 9 }));
        }
      }
    },
  };
}

export default defineConfig({
  plugins: [
    react(),
    lingui(),
    babel({ include: /\/src\/.*\.tsx?$/, plugins: ['@lingui/babel-plugin-lingui-macro'] }),
    squeezed(),
  ],
  server: { port: 5173, proxy: { '/api': { target: API, changeOrigin: false } } },
  build: {
    outDir: 'dist',
    emptyOutDir: true,
    target: 'es2022',
    chunkSizeWarningLimit: 700,
    assetsInlineLimit: 0,
    rolldownOptions: {
      output: {
        codeSplitting: {
          // A group also takes in its dependencies, so the lower layers have the higher priority.
          groups: [
            {
              name: 'react',
              test: /node_modules[\\/](react|react-dom|react-router|scheduler|@tanstack)[\\/]/,
              priority: 50,
            },
            { name: 'mui', test: /node_modules[\\/](@mui|@emotion)[\\/]/, priority: 40 },
            { name: 'echarts', test: /node_modules[\\/](echarts|zrender)[\\/]/, priority: 30 },
          ],
        },
      },
    },
  },
  test: {
    testTimeout: 120000,
    // a page of its own is made only for what draws one
    projects: [
      {
        extends: true,
        test: {
          name: 'plain',
          environment: 'node',
          setupFiles: ['tests/language.ts'],
          include: ['tests/**/*.test.ts'],
        },
      },
      {
        extends: true,
        test: {
          name: 'drawn',
          environment: 'jsdom',
          // one page for all files of a worker: each test leaves it empty, and making it took a third of the time
          isolate: false,
          setupFiles: ['tests/language.ts', 'tests/setup.ts'],
          include: ['tests/**/*.test.tsx'],
          exclude: [MARKED],
        },
      },
      {
        extends: true,
        test: {
          name: 'marked',
          environment: 'jsdom',
          setupFiles: ['tests/language.ts', 'tests/setup.ts'],
          include: [MARKED],
        },
      },
    ],
  },
});
