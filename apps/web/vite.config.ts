import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react(), tailwindcss()],
  resolve: { conditions: ['source', 'module', 'browser', 'development|production'] },
  // Workers load what they seldom need only then.
  worker: { format: 'es' },
  // Shared views are a page of their own: it brings nothing of the bench along.
  build: {
    target: 'es2022',
    chunkSizeWarningLimit: 1500,
    rollupOptions: { input: ['index.html', 'shared.html'] },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:4780' } },
});
