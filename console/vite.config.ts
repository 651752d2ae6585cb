import react from '@vitejs/plugin-react';
import { defineConfig } from 'vitest/config';

const service = process.env.KEY_LANTERN_ADDRESS ?? 'http://127.0.0.1:8710';

export default defineConfig({
  // The compiler keeps what components made as long as nothing they use has changed.
  plugins: [react({ compiler: true })],
  build: { target: 'es2023', chunkSizeWarningLimit: 700 },
  server: { proxy: { '/api': service, '/in': service } },
  test: {
    testTimeout: 30_000,
    // Each file of components costs a document and the components' library; what only computes
    // does without.
    projects: [
      {
        extends: true,
        test: {
          name: 'with a document',
          include: ['src/**/*.test.tsx', 'src/api/live.test.ts'],
          environment: 'jsdom',
        },
      },
      {
        extends: true,
        test: {
          name: 'plain',
          include: ['src/**/*.test.ts'],
          exclude: ['src/api/live.test.ts'],
          isolate: false,
        },
      },
    ],
  },
});
