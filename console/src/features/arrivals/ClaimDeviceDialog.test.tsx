import { screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { WaitingDevice } from '../../api/schema';
import { answering, choose, press, sent, show, type, where } from '../../testing-dom';
import { ClaimDeviceDialog } from './ClaimDeviceDialog';

const WAITING = { code: 'bay-07', identity: '0a47' } as WaitingDevice;
const CLAIM = '/sites/marlbeck/waiting/bay-07/claim';
const KIND = { code: 'shed-sensor', revision: 1, description: { name: 'Shed sensor', signals: [] } };

test('a device that waits is claimed as a kind, and its commissioning begins', async () => {
  const asked = answering({
    'GET /sites/marlbeck/kinds': { items: [KIND] },
    [`POST ${CLAIM}`]: { code: 'shed-7' },
  });
  show(<ClaimDeviceDialog device={WAITING} onClose={() => undefined} />);
  type(/Name of the device/, 'Shed, bay 7');
  type(/^Code/, 'shed-7');
  await choose('Kind', 'Shed sensor');
  press('Claim it');
  expect(await sent(asked, 'POST', CLAIM)).toEqual({
    name: 'Shed, bay 7',
    code: 'shed-7',
    kind: 'shed-sensor',
  });
  await waitFor(() => expect(where()).toBe('/sites/marlbeck/devices/shed-7/commissioning'));
});

test('what it calls itself is proposed as its name', () => {
  answering({ 'GET /sites/marlbeck/kinds': { items: [] } });
  show(<ClaimDeviceDialog device={WAITING} onClose={() => undefined} />);
  expect(screen.getByLabelText<HTMLInputElement>(/Name of the device/).value).toBe('0a47');
  expect(screen.getByLabelText<HTMLInputElement>(/^Code/).value).toBe('bay-07');
});
