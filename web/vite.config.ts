import react from '@vitejs/plugin-react';
import { cpSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { defineConfig, type Plugin } from 'vite';

const here = fileURLToPath(new URL('.', import.meta.url));

/** The demo sets are served as the files a user would drop; the truth beside them is never copied. */
const demoData: Plugin = {
  name: 'demo-data',
  buildStart() {
    cpSync(`${here}../demo/data`, `${here}public/demo`, { recursive: true });
  },
};

export default defineConfig({
  root: here,
  plugins: [react(), demoData],
  worker: { format: 'es' },
  server: { host: '127.0.0.1', port: 5173, proxy: { '/api': 'http://127.0.0.1:4620' } },
  css: {
    preprocessorOptions: {
      scss: { silenceDeprecations: ['import', 'global-builtin', 'color-functions', 'if-function'], quietDeps: true },
    },
  },
  build: { outDir: 'dist', target: 'es2022', chunkSizeWarningLimit: 1200 },
});
