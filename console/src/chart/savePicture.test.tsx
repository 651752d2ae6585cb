import { render } from '@testing-library/react';
import { expect, test } from 'vitest';
import { partsOf, pictureOf } from './savePicture';

function chart(): HTMLElement {
  const { container } = render(
    <div>
      <figure>
        <figcaption>
          <span>Level (m)</span>
          <span>2.1 m under the pointer</span>
        </figcaption>
        <canvas />
      </figure>
      <p data-story>Level fell.</p>
      <figure>
        <figcaption>
          <span>Mode</span>
        </figcaption>
      </figure>
      <p data-story>Not drawn.</p>
    </div>,
  );
  return container;
}

test('a picture has the panes that are drawn, with title and sentence', () => {
  expect(partsOf(chart()).map(({ title, story }) => [title, story])).toEqual([['Level (m)', 'Level fell.']]);
});

test('where nothing can be drawn there is no picture', async () => {
  expect(await pictureOf(document.createElement('div'))).toBeNull();
});
