import react from '@vitejs/plugin-react';
import { defineConfig } from 'vitest/config';

// What replaces a module, or looks at what a module holds when nobody has used it yet.
const ALONE = [
  'src/api/live.test.ts',
  'src/chart/useHistory.test.tsx',
  'src/components/PageHeading.test.tsx',
  'src/features/charts/ChartsPage.test.tsx',
  'src/features/compare/ComparePage.test.tsx',
  'src/features/history/BesideView.test.tsx',
];

const service = process.env.KEY_LANTERN_ADDRESS ?? 'http://127.0.0.1:8710';

export default defineConfig({
  // The compiler keeps what components made as long as nothing they use has changed.
  plugins: [react({ compiler: true })],
  build: { target: 'es2023', chunkSizeWarningLimit: 700 },
  server: { proxy: { '/api': service, '/in': service } },
  test: {
    testTimeout: 30_000,
    // A document and the components' library take longer to start than most tests take, so files
    // share them; what only computes does without.
    projects: [
      {
        extends: true,
        test: {
          name: 'with a document',
          include: ['src/**/*.test.tsx'],
          exclude: ALONE,
          environment: 'jsdom',
          setupFiles: ['src/testing-setup.ts'],
          isolate: false,
        },
      },
      {
        extends: true,
        test: {
          name: 'alone',
          include: ALONE,
          environment: 'jsdom',
          setupFiles: ['src/testing-setup.ts'],
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
