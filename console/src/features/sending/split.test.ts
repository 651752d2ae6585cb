import { expect, test } from 'vitest';
import type { Decoder } from '../../api/schema';
import { decoderOf, likelyNames, namesIn, splitSample } from './split';

test.each([
  ['21.4', 'bare', ['21.4']],
  ['21.4;x;55', 'list', ['21.4', 'x', '55']],
  ['24,5;55', 'list', ['24,5', '55']],
  ['1,2,,3', 'list', ['1', '2', '', '3']],
  ['0a41 4711  9.4', 'list', ['0a41', '4711', '9.4']],
  ['noise<21.4,55>more', 'list', ['21.4', '55']],
  ['T=21.4 H=55', 'pairs', ['21.4', '55']],
  ['temp: 21.4; hum: 55', 'pairs', ['21.4', '55']],
  ['{"data": {"t": 21.4, "ok": true}, "n": null}', 'json', ['21.4', 'true']],
  ['[{"a": [1, 2]}]', 'json', ['1', '2']],
] as const)('%s is split', (sample, form, values) => {
  const split = splitSample(sample);
  expect(split?.form).toBe(form);
  expect(split?.parts.map(({ value }) => value)).toEqual(values);
});

test.each([[''], ['  '], ['{"broken'.slice(0, 0)]])('"%s" has no parts', (sample) => {
  expect(splitSample(sample)).toBeUndefined();
});

test.each([
  ['21.4;x;55', ['temp', '', 'hum'], { form: 'list', separator: ';', fields: ['temp', '-', 'hum'] }],
  [
    '24,5;55',
    ['temp', 'hum'],
    { form: 'list', separator: ';', fields: [{ name: 'temp', type: 'decimal-comma' }, 'hum'] },
  ],
  [
    'x<21.4,55>',
    ['temp', 'hum'],
    {
      form: 'frames',
      start: '<',
      stop: '>',
      inside: { form: 'list', separator: ',', fields: ['temp', 'hum'] },
    },
  ],
  [
    'T=21.4 H=55',
    ['temp', ''],
    { form: 'pairs', separator: ' ', equals: '=', fields: { T: 'temp', H: '-' } },
  ],
  ['{"data": {"t": 21.4}}', ['temp'], { form: 'json', fields: [{ path: 'data.t', field: 'temp' }] }],
  ['21.4', ['level'], { form: 'bare', field: 'level' }],
  ['shed-1 21.4', ['@device', 'temp'], { form: 'list', separator: ' ', fields: ['@device', 'temp'] }],
])('%s becomes a decoder', (sample, names, form) => {
  const split = splitSample(sample);
  expect(split && decoderOf(split, names)).toEqual(form);
});

test('names the sender uses are proposed', () => {
  const names = (sample: string) => likelyNames(splitSample(sample) ?? { form: 'bare', parts: [] });
  expect(names('T=1 H%=2')).toEqual(['T', '']);
  expect(names('{"data": {"t": 1}}')).toEqual(['t']);
  expect(names('1;2')).toEqual(['', '']);
});

test('what a decoder says of its fields stays while others are named', () => {
  const before = {
    form: 'list',
    separator: ';',
    fields: ['-', { name: 'hum', unit: '%', type: 'number' }],
  } as Decoder;
  const split = splitSample('21.4;55;7');
  expect(split && namesIn(before, split)).toEqual(['', 'hum', '']);
  expect(split && decoderOf(split, ['temp', 'hum', ''], before)).toEqual({
    form: 'list',
    separator: ';',
    fields: ['temp', { name: 'hum', unit: '%', type: 'number' }, '-'],
  });
});

test.each([
  ['T=1 H=2', { form: 'pairs', fields: { T: 'temp' } }, ['temp', 'H']],
  [
    'x<1,2>',
    { form: 'frames', start: '<', stop: '>', inside: { form: 'list', fields: ['temp', '-'] } },
    ['temp', ''],
  ],
  ['21.4', { form: 'bare', field: { name: 'level', unit: 'm' } }, ['level']],
  ['21.4', { form: 'list', fields: ['temp'] }, undefined],
])('the names in a decoder for %s', (sample, form, names) => {
  const split = splitSample(sample);
  expect(split && namesIn(form as Decoder, split)).toEqual(names);
});
