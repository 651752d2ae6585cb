import { fireEvent, screen, waitFor } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import { aSignal } from '../../testing';
import { choose, press, REFUSAL, show } from '../../testing-dom';
import { exportPath } from './exportPath';
import { firstOf } from './firstOf';
import { TakeAwayDialog } from './TakeAwayDialog';

const SPAN = { from: Date.parse('2026-05-01T00:00:00Z'), to: Date.parse('2026-05-02T00:00:00Z') };

/** Answers each request with a text, and keeps what was asked. */
function serving(text: string, status = 200): string[] {
  const asked: string[] = [];
  vi.stubGlobal(
    'fetch',
    vi.fn((url: string) => {
      asked.push(url);
      return Promise.resolve(new Response(text, { status }));
    }),
  );
  return asked;
}

test('the address says what is wanted', () => {
  const path = exportPath('marlbeck', ['tower/level:cm', 'tower/door'], SPAN, {
    format: 'csv-long',
    all: true,
    zone: 'UTC',
    isForSheets: false,
    each: '',
  });
  expect(path).toBe(
    '/sites/marlbeck/export?format=csv-long&signals=tower%2Flevel%3Acm%2Ctower%2Fdoor&from=1777593600&to=1777680000&zone=UTC&all=true',
  );
});

test('a short file is shown whole, a long one as it begins', async () => {
  serving('time,a\r\n1,2\r\n');
  expect(await firstOf('/x')).toBe('time,a\n1,2');
  serving(Array.from({ length: 900 }, (_, i) => `${i},x`).join('\r\n'));
  const lines = (await firstOf('/x')).split('\n');
  expect([lines.length, lines[0], lines[11], lines[12]]).toEqual([13, '0,x', '11,x', '…']);
  serving('');
  expect(await firstOf('/x')).toBe('');
});

test('the file that is saved is the one that is shown', async () => {
  const asked = serving('time,tower/level (m)\r\n2026-05-01T00:00:00Z,2\r\n');
  const onPicture = vi.fn();
  const signal = { ...aSignal({ signal: 'level' }), device: 'tower', interval_s: 30 };
  show(
    <TakeAwayDialog
      site="marlbeck"
      zone="Europe/London"
      signals={[signal]}
      span={SPAN}
      panes={[]}
      onPicture={onPicture}
      onClose={vi.fn()}
    />,
  );
  expect((await screen.findByLabelText('The first lines of the file')).textContent).toContain(
    '2026-05-01T00:00:00Z,2',
  );
  await choose('Format', 'SenML (RFC 8428)');
  expect(screen.getByLabelText<HTMLInputElement>('Suspect and rejected too').disabled).toBe(true);
  await choose('Format', 'JSON');
  fireEvent.click(screen.getByLabelText('Suspect and rejected too'));
  fireEvent.click(screen.getByLabelText('Times in UTC'));
  const link = screen.getByRole('link', { name: 'Save the file' });
  const address = link.getAttribute('href') ?? '';
  expect(address).toContain('format=json&');
  expect(address).toContain('zone=UTC&all=true');
  await waitFor(() => expect(asked).toContain(address));
  press('The chart as PNG');
  expect(onPicture).toHaveBeenCalled();
});

test('stretches of time, times for spreadsheets, and Parquet, whose rows are shown as text', async () => {
  const asked = serving('time,tower/level.mean (m)\r\n');
  const signals = [
    { ...aSignal({ signal: 'level' }), device: 'tower', interval_s: 30 },
    { ...aSignal({ signal: 'mode', type: 'text' }), device: 'tower', interval_s: 30 },
  ];
  const props = {
    site: 'marlbeck',
    zone: 'UTC',
    span: SPAN,
    panes: [],
    onPicture: vi.fn(),
    onClose: vi.fn(),
  };
  show(<TakeAwayDialog {...props} signals={signals} />);
  await screen.findByLabelText('The first lines of the file');
  fireEvent.click(screen.getByLabelText('Times for spreadsheets'));
  await choose('Rows', 'Hours: mean, min, max');
  const address = () => screen.getByRole('link', { name: 'Save the file' }).getAttribute('href') ?? '';
  expect(address()).toContain('signals=tower%2Flevel&');
  expect(address()).toContain('times=spreadsheet&by=hour&figures=mean%2Cmin%2Cmax');
  expect(screen.getByLabelText<HTMLInputElement>('Suspect and rejected too').disabled).toBe(true);
  await choose('Rows', 'Minutes: mean, min, max');
  expect(address()).toContain('width_s=60&');
  await choose('Rows', 'Readings as they came');
  await choose('Format', 'Parquet, a column for each signal');
  expect(address()).toContain('format=parquet&signals=tower%2Flevel%2Ctower%2Fmode&');
  expect(address()).not.toContain('times=');
  await waitFor(() => expect(asked).toContain(address().replace('format=parquet', 'format=csv')));
  expect(asked.some((one) => one.includes('format=parquet'))).toBe(false);
});

test('what the service refuses is said', async () => {
  serving(JSON.stringify(REFUSAL), 422);
  show(
    <TakeAwayDialog
      site="marlbeck"
      zone="UTC"
      signals={[]}
      span={SPAN}
      panes={[]}
      onPicture={vi.fn()}
      onClose={vi.fn()}
    />,
  );
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});
