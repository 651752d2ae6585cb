import { expect, test } from 'vitest';
import { BEGINNINGS, decoderText, parseDecoder } from './decoder';

test('nothing is no decoder, and what is broken says so', () => {
  expect(parseDecoder('  ')).toEqual({ ok: true, form: null });
  expect(parseDecoder('{"form": "bare"')).toMatchObject({ ok: false });
  expect(parseDecoder('[]')).toMatchObject({ ok: false });
  expect(parseDecoder('{"a": 1}')).toMatchObject({ ok: false });
});

test('every beginning reads back', () => {
  for (const { form } of BEGINNINGS) expect(parseDecoder(decoderText(form))).toEqual({ ok: true, form });
});
