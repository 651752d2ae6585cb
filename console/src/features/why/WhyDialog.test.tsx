import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { Why } from '../../api/schema';
import { answering, REFUSAL, show } from '../../testing-dom';
import { without } from '../../without';
import { WhyDialog } from './WhyDialog';

const WHY: Why = {
  device: 'tower',
  signal: 'level',
  at: '2026-05-01T12:00:00Z',
  passed: ['declared', 'key', 'contact', 'payload'],
  stage: 'name',
  code: 'name-nearly-right',
  what: 'It sends `levle`, which is spelled nearly like `level`.',
  means: 'What it sends waits.',
  mend: { action: 'claim', name: 'levle', into: 'level' },
};
const PATH = 'GET /sites/marlbeck/devices/tower/signals/level/why';

test('what is right, what is wrong and what mends it stand below each other', async () => {
  answering({ [PATH]: WHY });
  show(<WhyDialog device="tower" signal="level" onClose={() => undefined} />);
  expect(await screen.findByText('A name is not declared')).toBeTruthy();
  expect(screen.getAllByRole('listitem').map((item) => item.textContent)).toEqual([
    'rightIt is declared',
    'rightIt has a key that may send',
    'rightIts messages come',
    'rightThey can be read',
    'wrongA name is not declared',
  ]);
  expect(screen.getByText(/spelled nearly like/).textContent).toContain('levle');
  expect(screen.getByRole('link', { name: 'Claim what waits' }).getAttribute('href')).toBe(
    '/sites/marlbeck/arrivals',
  );
});

test('where nothing is wrong nothing has to be mended', async () => {
  answering({
    [PATH]: {
      ...without(WHY, 'stage'),
      code: 'well',
      what: 'Nothing is wrong.',
      mend: { action: 'nothing' },
    },
  });
  show(<WhyDialog device="tower" signal="level" onClose={() => undefined} />);
  expect(await screen.findByText('Nothing is wrong.')).toBeTruthy();
  expect(screen.queryByRole('link')).toBeNull();
});

test('an answer that does not come is said', async () => {
  answering({ [PATH]: 503 });
  show(<WhyDialog device="tower" signal="level" onClose={() => undefined} />);
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});
