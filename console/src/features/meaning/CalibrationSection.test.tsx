import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, isDisabled, press, REFUSAL, sent, show, type } from '../../testing-dom';
import { CalibrationSection } from './CalibrationSection';

const PATH = '/sites/marlbeck/devices/tower/signals/level';
const AT = '2026-05-01T08:00:00Z';
const LINE = { line: { slope: 2, intercept: -1, residual: 0.05 }, step: {} };
const open = (answers: Record<string, unknown>) => {
  const asked = answering(answers);
  show(<CalibrationSection device="tower" signal="level" symbol="m" />);
  return asked;
};
const field = () => screen.getByLabelText<HTMLTextAreaElement>(/What it said/);

test('readings by hand become pairs, each with what the sensor said', async () => {
  open({
    [`GET ${PATH}/hand-readings`]: { items: [{ at: AT, person: 'ann', note: '' }] },
    [`GET ${PATH}/readings`]: {
      items: [
        { at: '2026-05-01T07:59:30Z', value: 2.4 },
        { at: AT, value: 2.5 },
      ],
    },
  });
  press('Take readings by hand');
  await screen.findByDisplayValue('2.4 2.5');
});

test('without any it is said, and what was typed stays', async () => {
  open({ [`GET ${PATH}/hand-readings`]: { items: [] } });
  type(/What it said/, '1 2');
  press('Take readings by hand');
  expect(await screen.findByText(/No reading by hand of the last year/)).toBeTruthy();
  expect(field().value).toBe('1 2');
});

test('two pairs make a line, one does not, and a wrong line is named', async () => {
  const asked = open({ [`POST ${PATH}/meaning/calibration`]: LINE });
  type(/What it said/, '1 1');
  expect(isDisabled('Work the line out')).toBe(true);
  type(/What it said/, '1 1\ntwo');
  expect(screen.getByText('Line 2 is not two numbers')).toBeTruthy();
  type(/What it said/, '1 1\n2 3');
  press('Work the line out');
  expect(await sent(asked, 'POST', `${PATH}/meaning/calibration`)).toEqual({
    pairs: [
      { said: 1, right: 1 },
      { said: 2, right: 3 },
    ],
  });
  expect((await screen.findByText(/^right = /)).textContent).toContain('2.000 × said − 1.000');
});

test('a refusal is said', async () => {
  open({});
  press('Take readings by hand');
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});
