import react from '@vitejs/plugin-react';
import { defineConfig } from 'vitest/config';

const service = process.env.KEY_LANTERN_ADDRESS ?? 'http://127.0.0.1:8710';

export default defineConfig({
  plugins: [react()],
  build: { target: 'es2023', chunkSizeWarningLimit: 700 },
  server: { proxy: { '/api': service, '/in': service } },
  test: { environment: 'jsdom', testTimeout: 30_000 },
});
