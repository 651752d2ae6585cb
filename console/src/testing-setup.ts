// Runs before each file of tests that needs a document: the files share one, so each leaves it as it was.
import { cleanup, configure } from '@testing-library/react';
import { afterEach, vi } from 'vitest';

// A busy machine takes more than the second that is waited for by default.
configure({ asyncUtilTimeout: 20_000 });

// Nothing has a size here.
globalThis.ResizeObserver ??= class {
  observe() {}
  unobserve() {}
  disconnect() {}
};

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  vi.useRealTimers();
  localStorage.clear();
  sessionStorage.clear();
});
