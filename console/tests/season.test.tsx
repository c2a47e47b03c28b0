import { fireEvent, screen } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { expect, test } from 'vitest';
import type { Timeline } from '../src/mind/api';
import { useFrame } from '../src/mind/frame';
import { SeasonSwitch } from '../src/skin/SeasonSwitch';
import { render } from './spoken';

const season = (basis: Timeline['season']['basis']): Timeline['season'] => ({
  basis,
  years: 0,
  change: null,
  expected: null,
  beyond: null,
  verdict: null,
  by: null,
});

function Asked() {
  return <output>{useFrame().frame.counted ? 'counted' : 'net'}</output>;
}

const drawn = (basis: Timeline['season']['basis'], search = '') =>
  render(
    <MemoryRouter initialEntries={[`/sites/a/overview${search}`]}>
      <SeasonSwitch season={season(basis)} />
      <Asked />
    </MemoryRouter>,
  );

test('where the windows are of one time of the year there is nothing to choose', () => {
  drawn('counted');
  expect(screen.queryByRole('group')).toBeNull();
});

test('where nothing is compared there is nothing to choose', () => {
  drawn('years', '?against=none');
  expect(screen.queryByRole('group')).toBeNull();
});

test('it is chosen, kept in the address, and taken back', () => {
  drawn('years');
  fireEvent.click(screen.getByRole('button', { name: 'As counted' }));
  expect(screen.getByRole('status').textContent).toBe('counted');
  fireEvent.click(screen.getByRole('button', { name: 'Net of the season' }));
  expect(screen.getByRole('status').textContent).toBe('net');
});

test('what is read as counted can be read net again', () => {
  drawn('counted', '?counted=yes');
  expect(screen.getByRole('button', { name: 'As counted' }).getAttribute('aria-pressed')).toBe('true');
});
