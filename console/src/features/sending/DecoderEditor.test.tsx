import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { useState } from 'react';
import { afterEach, expect, test } from 'vitest';
import { SiteContext } from '../../components/siteContext';
import { A_SITE } from '../../testing';
import { DecoderEditor } from './DecoderEditor';

afterEach(cleanup);

function Editor({ onText }: { onText: (text: string) => void }) {
  const [text, setText] = useState('');
  const change = (next: string) => {
    setText(next);
    onText(next);
  };
  return <DecoderEditor text={text} onChange={change} signals={[{ code: 'temp' }, { code: 'hum' }]} />;
}

test('a pasted sample becomes a decoder by naming its parts', () => {
  let text = '';
  render(
    <QueryClientProvider client={new QueryClient()}>
      <SiteContext value={A_SITE}>
        <Editor onText={(next) => (text = next)} />
      </SiteContext>
    </QueryClientProvider>,
  );
  const sample = (pasted: string) =>
    fireEvent.change(screen.getByPlaceholderText('Paste what the sender sends'), {
      target: { value: pasted },
    });
  sample('0a41;24,5;55');
  expect(screen.getAllByRole('listitem').map((part) => part.firstChild?.textContent)).toEqual([
    '0a41',
    '24,5',
    '55',
  ]);
  fireEvent.change(screen.getByLabelText('Name of part 2'), { target: { value: 'temp' } });
  expect(JSON.parse(text)).toEqual({
    form: 'list',
    separator: ';',
    fields: ['-', { name: 'temp', type: 'decimal-comma' }, '-'],
  });
  fireEvent.change(screen.getByLabelText('Name of part 3'), { target: { value: 'hum' } });
  expect(JSON.parse(text)).toMatchObject({ fields: ['-', { name: 'temp' }, 'hum'] });
});
