import type { Decoder } from '../../api/schema';

/** A decoder to begin with, for each form there is. */
export const BEGINNINGS: { title: string; form: Decoder; sample: string }[] = [
  { title: 'One number', form: { form: 'bare', field: 'level' }, sample: '21.4' },
  {
    title: 'A list',
    form: { form: 'list', separator: ';', fields: ['temp', '-', { name: 'hum', type: 'number' }] },
    sample: '21.4;x;55',
  },
  {
    title: 'name=value pairs',
    form: { form: 'pairs', fields: { T: 'temp', H: 'hum' } },
    sample: 'T=21.4 H=55',
  },
  {
    title: 'Framed messages',
    form: {
      form: 'frames',
      start: '<',
      stop: '>',
      inside: { form: 'list', separator: ',', fields: ['temp', 'hum'] },
    },
    sample: 'noise<21.4,55>',
  },
  {
    title: 'Other JSON',
    form: { form: 'json', at: 'ts', fields: [{ path: 'data.t', field: 'temp' }] },
    sample: '{"data": {"t": 21.4}}',
  },
  {
    title: 'Packed bytes in hex',
    form: {
      form: 'packed',
      encoding: 'hex',
      fields: [{ name: 'temp', type: 'i16', scale: 0.01 }],
    },
    sample: '085c',
  },
];

/** A decoder as it is edited; empty for none. */
export const decoderText = (form: Decoder | undefined): string =>
  form === undefined ? '' : JSON.stringify(form, null, 2);

export type Parsed = { ok: true; form: Decoder | null } | { ok: false; reason: string };

/** Reads what is edited; nothing stands for no decoder. */
export function parseDecoder(text: string): Parsed {
  if (text.trim() === '') return { ok: true, form: null };
  try {
    const form = JSON.parse(text) as unknown;
    if (typeof form === 'object' && form !== null && !Array.isArray(form) && 'form' in form)
      return { ok: true, form: form as Decoder };
    return { ok: false, reason: 'It has no "form", such as {"form": "bare", "field": "level"}.' };
  } catch (error) {
    return { ok: false, reason: `It is not JSON yet: ${(error as Error).message}` };
  }
}
