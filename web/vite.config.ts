import react from '@vitejs/plugin-react';
import { cpSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { defineConfig, type Plugin } from 'vite';
import { VitePWA } from 'vite-plugin-pwa';

const here = fileURLToPath(new URL('.', import.meta.url));

/** The demo sets are served as the files a user would drop; the truth beside them is never copied. */
const demoData: Plugin = {
  name: 'demo-data',
  buildStart() {
    cpSync(`${here}../demo/data`, `${here}public/demo`, { recursive: true });
  },
};

/** Everything the application is made of is kept by the browser, so that it opens and goes on where its server is gone. */
const offline = VitePWA({
  manifest: false,
  // Registered by hand. A newer version takes over when the last page of the older one is closed.
  injectRegister: null,
  workbox: {
    globPatterns: ['index.html', 'mark.svg', 'assets/**/*.{js,css,woff2,json,wasm}'],
    maximumFileSizeToCacheInBytes: 8e6,
    navigateFallback: '/index.html',
    navigateFallbackDenylist: [/^\/api\//, /^\/demo\//],
    runtimeCaching: [{ urlPattern: /\/demo\//, handler: 'StaleWhileRevalidate', options: { cacheName: 'samples' } }],
  },
});

export default defineConfig({
  root: here,
  plugins: [react(), demoData, offline],
  // What most tasks of a worker share comes in one piece; a file for each two that share something would be many.
  worker: {
    format: 'es',
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [
            { name: 'tables', test: /tables[\\/].*\.json/ },
            { name: 'shared', minShareCount: 6, test: /core[\\/]src|node_modules/ },
          ],
        },
      },
    },
  },
  // Large tables are read much faster as text than as code.
  json: { stringify: true, namedExports: false },
  server: {
    host: '127.0.0.1',
    port: 5173,
    proxy: { '/api': 'http://127.0.0.1:4620' },
    // As the server says it: without these, threads of the page share no memory.
    headers: { 'Cross-Origin-Opener-Policy': 'same-origin', 'Cross-Origin-Embedder-Policy': 'require-corp' },
  },
  css: {
    preprocessorOptions: {
      scss: { silenceDeprecations: ['import', 'global-builtin', 'color-functions', 'if-function'], quietDeps: true },
    },
  },
  build: { outDir: 'dist', target: 'es2022', chunkSizeWarningLimit: 1200 },
});
