import { fireEvent, render, screen } from '@testing-library/react';
import { describe, expect, it } from 'vitest';
import { TextIn, useFields } from '../src/skin/form';

function Days({ first, last }: { first: string; last: string }) {
  const form = useFields({ first, last }, undefined, true);
  return (
    <>
      <TextIn form={form} name="first" label="First" />
      <TextIn form={form} name="last" label="Last" />
    </>
  );
}

const value = (label: string) => screen.getByLabelText<HTMLInputElement>(label).value;

describe('a form opened before what it begins with has come', () => {
  it('takes it where nobody has typed, and leaves what somebody has', () => {
    const { rerender } = render(<Days first="" last="" />);
    fireEvent.change(screen.getByLabelText('Last'), { target: { value: '2026-01-01' } });
    rerender(<Days first="2026-02-16" last="2026-03-15" />);
    expect([value('First'), value('Last')]).toEqual(['2026-02-16', '2026-01-01']);
    rerender(<Days first="2026-02-17" last="2026-03-16" />);
    expect([value('First'), value('Last')]).toEqual(['2026-02-17', '2026-01-01']);
  });
});
