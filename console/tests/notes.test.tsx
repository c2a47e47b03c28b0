/** Notes, sets, targets and trials as they are written down, changed and taken away. */
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { changed, choose, last, opened, part, press, refusing, told, type, valueOf, REFUSED } from './changing';
import { SITE, json } from './service';

afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

describe('a note', () => {
  it.each([
    ['this site', '', { site: 'hivewright.example' }],
    ['one page', '/guides/first-hive', { site: 'hivewright.example', page: '/guides/first-hive' }],
    ['set text', '', { site: 'hivewright.example', set: 'text' }],
    ['the client', '', { client: 'hivewright' }],
    ['the whole agency', '', {}],
  ])('is kept on %s', async (on, page, place) => {
    const sent = changed();
    await opened(`${SITE}/notes`);
    const form = part('Note something');
    type(/^What/, 'Prices rewritten', form);
    type(/^On/, '2026-03-02', form);
    await choose('Kind', 'campaign', form);
    await choose('Concerns', on, form);
    if (page) type(/^Page/, page, form);
    await press('Keep the note', form);
    const note = { text: 'Prices rewritten', first: '2026-03-02', kind: 'campaign', ...place };
    expect((await last(sent, 1)).body).toEqual(note);
    await waitFor(() => expect(valueOf(/^What/, form)).toBe(''));
    expect(valueOf(/^On/, form)).toBe('2026-03-02');
  });

  it('that is refused stays as it was typed, told at its field', async () => {
    const sent = changed({ 'POST /notes': refusing('last') });
    await opened(`${SITE}/notes`);
    const form = part('Note something');
    type(/^What/, 'Prices rewritten', form);
    type(/^On/, '2026-03-02', form);
    type(/^to/, '2026-03-09', form);
    await press('Keep the note', form);
    expect(await screen.findByText(REFUSED)).toBeVisible();
    expect(form.getByLabelText(/^to/)).toBeInvalid();
    expect([valueOf(/^What/, form), valueOf(/^to/, form)]).toEqual(['Prices rewritten', '2026-03-09']);
    expect(sent).toHaveLength(1);
  });

  it('that is deleted can be brought back as it was', async () => {
    const sent = changed();
    await opened(`${SITE}/notes?note=1`);
    await press('Delete this note');
    expect(await screen.findByText(/is deleted/)).toBeVisible();
    await press('Bring it back');
    await waitFor(() => expect(screen.queryByText(/is deleted/)).toBeNull());
    expect(told(sent)).toEqual([
      ['DELETE /notes/1'],
      [
        'POST /notes',
        {
          first: '2026-03-15',
          last: '2026-03-15',
          kind: 'site change',
          text: 'text',
          site: 'text',
          page: 'text',
          set: 'text',
        },
      ],
    ]);
  });
});

describe('notes from a file', () => {
  it.each([
    ['holidays.ics', 'icalendar'],
    ['changes.csv', 'csv'],
  ])('%s are taken in, and what was refused is listed', async (name, format) => {
    const sent = changed({ 'POST /notes/import': { added: 2, repeated: 1, refused: ['line 3: no day'] } });
    await opened(`${SITE}/notes`);
    const file = new File(['2026-03-01,Moved'], name);
    fireEvent.change(screen.getByLabelText('File of notes'), { target: { files: [file] } });
    expect((await last(sent, 1)).body).toEqual({
      format,
      text: '2026-03-01,Moved',
      site: 'hivewright.example',
      origin: name,
    });
    expect(await screen.findByText('2 notes added, 1 there already.')).toBeVisible();
    expect(screen.getByText('line 3: no day')).toBeVisible();
  });
});

describe('a set', () => {
  const form = () => part('Save a set');
  const RULE = 'path starts "/guides/"';

  it('is saved by a rule, for the agency', async () => {
    const sent = changed();
    await opened(`${SITE}/sets`);
    type(/^Name/, 'Guides', form());
    await choose('Of', 'pages', form());
    await choose('For', 'the whole agency', form());
    type(/^Rule/, RULE, form());
    await press('Save', form());
    expect(told([await last(sent, 1)])).toEqual([
      ['POST /sets', { name: 'Guides', item: 'page', rule: RULE, members: [] }],
    ]);
    await waitFor(() => expect(valueOf(/^Name/, form())).toBe(''));
  });

  it('is saved by a list from a file, of which the first column counts', async () => {
    const sent = changed();
    await opened(`${SITE}/sets`);
    type(/^Name/, 'Followed', form());
    const lines = 'oak hive;1200\n"a ""good"" smoker",3\n\nqueen\tx\n';
    fireEvent.change(form().getByLabelText(/or from a file/), { target: { files: [new File([lines], 'q.csv')] } });
    await waitFor(() => expect(valueOf(/one a line/, form())).not.toBe(''));
    await press('Save', form());
    expect((await last(sent, 1)).body).toMatchObject({
      client: 'hivewright',
      item: 'query',
      members: ['oak hive', 'a "good" smoker', 'queen'],
      rule: '',
    });
  });

  it('without rule and list is not saved', async () => {
    const sent = changed();
    await opened(`${SITE}/sets`);
    type(/^Name/, 'Nothing', form());
    expect(form().getByRole('button', { name: 'Save' })).toBeDisabled();
    type(/one a line/, '  \n ', form());
    expect(form().getByRole('button', { name: 'Save' })).toBeDisabled();
    fireEvent.submit(form().getByRole('button', { name: 'Save' }).closest('form')!);
    await waitFor(() => expect(sent).toEqual([]));
  });

  it('is changed as it was seen, and says when somebody else was quicker', async () => {
    const stale = () => Promise.resolve(refusing('name', REFUSED, 'changed-meanwhile', 412));
    const sent = changed({ 'PATCH /sets/1': stale });
    await opened(`${SITE}/sets`);
    await press('Change the set text');
    expect(valueOf(/one a line/, form())).toBe('text');
    type(/^Rule/, RULE, form());
    await press('Save', form());
    const { what, body, seen } = await last(sent, 1);
    expect([what, seen]).toEqual(['PATCH /sets/1', '"text"']);
    expect(body).toEqual({ name: 'text', item: 'query', rule: RULE, members: ['text'], client: 'hivewright' });
    expect(await screen.findByRole('alert')).toHaveTextContent('That cannot be kept.');
    expect(valueOf(/^Rule/, form())).toBe(RULE);
    await press('A new one instead');
    await waitFor(() => expect(valueOf(/^Name/, form())).toBe(''));
  });

  it('that is deleted can be brought back, and stays told when that fails', async () => {
    let fails = true;
    const again = () => Promise.resolve(fails ? refusing('name') : json({}, 201));
    const sent = changed({ 'POST /sets': again });
    await opened(`${SITE}/sets`);
    await press('Delete the set text');
    await press('Bring it back');
    expect(await screen.findByRole('alert')).toHaveTextContent('Say it otherwise.');
    fails = false;
    await press('Bring it back');
    await waitFor(() => expect(screen.queryByText(/is deleted/)).toBeNull());
    const whole = { name: 'text', item: 'query', rule: 'text', members: ['text'], client: 'text' };
    expect(told(sent)).toEqual([['DELETE /sets/1'], ['POST /sets', whole], ['POST /sets', whole]]);
  });

  it('shows what its rule finds while it is written, and what is wrong with it', async () => {
    const found = { matching: 9, known: 120, samples: ['a', 'b', 'c', 'd', 'e', 'f'], others: ['g'] };
    const answers: Record<string, unknown> = { [`GET ${SITE}/try-filter`]: { item: 'query', ...found } };
    changed(answers);
    await opened(`${SITE}/sets`);
    type(/^Rule/, 'words >= 4', form());
    expect(await form().findByText(/Finds 9 of 120: a, b, c, d, e, f …/)).toBeVisible();
    expect(form().getByText(/Not: g …/)).toBeVisible();
    answers[`GET ${SITE}/try-filter`] = refusing('filter');
    type(/^Rule/, 'words >=', form());
    expect(await form().findByRole('alert')).toHaveTextContent('That cannot be kept.');
  });
});

describe('a target', () => {
  const form = () => part('Set one');

  it('of figures is set with its filter, from today on where no day is said', async () => {
    const sent = changed();
    await opened(`${SITE}/targets`);
    type(/^Name/, 'Guides by summer', form());
    await choose(/^Figure/, 'impressions', form());
    type(/^To reach(?! by)/, '12500.5', form());
    type(/^To be reached by/, '2026-06-30', form());
    type(/^First day of the way/, '', form());
    type(/^Only a part/, 'set "Guides"', form());
    await press('Set it', form());
    expect(told([await last(sent, 1)])).toEqual([
      [
        'POST /targets',
        {
          site: 'hivewright.example',
          name: 'Guides by summer',
          metric: 'impressions',
          over: 'site',
          filter: 'set "Guides"',
          tagged: '',
          value: 12500.5,
          starts: '2026-03-20',
          by: '2026-06-30',
        },
      ],
    ]);
    await waitFor(() => expect(valueOf(/^Name/, form())).toBe(''));
  });

  it('of keywords takes a tag instead, and leaves a filter behind that was typed before', async () => {
    const sent = changed();
    await opened(`${SITE}/targets`);
    type(/^Name/, 'Ten up', form());
    type(/^Only a part/, 'brand', form());
    await choose(/^Figure/, /top ten|top 10/i, form());
    expect(form().queryByLabelText(/^Only a part/)).toBeNull();
    type(/^Only keywords with this tag/, 'money', form());
    type(/^To reach(?! by)/, '10', form());
    type(/^To be reached by/, '2026-06-30', form());
    await choose(/^Whose figure/, 'All sites of the client', form());
    await press('Set it', form());
    expect((await last(sent, 1)).body).toMatchObject({ metric: 'top10', over: 'client', filter: '', tagged: 'money' });
  });

  it('that is refused tells it at the field', async () => {
    changed({ 'POST /targets': refusing('by') });
    await opened(`${SITE}/targets`);
    type(/^Name/, 'Late', form());
    type(/^To reach(?! by)/, '10', form());
    type(/^To be reached by/, '2020-01-01', form());
    await press('Set it', form());
    expect(await screen.findByText(REFUSED)).toBeVisible();
    expect(form().getByLabelText(/^To be reached by/)).toBeInvalid();
    expect(valueOf(/^Name/, form())).toBe('Late');
  });
});

describe('a trial', () => {
  const form = () => part('Plan one');

  it('is planned with the controls that move alike', async () => {
    const sent = changed();
    await opened(`${SITE}/trials`);
    type(/^Name/, 'Titles', form());
    type(/^Treated/, ' /a \n\n/b\n', form());
    await press('What could it show?', form());
    await press('Take these as the control', form());
    expect(valueOf(/^Control/, form())).toBe('text');
    type(/^First day/, '2026-04-01', form());
    type(/^Weeks/, '6', form());
    await press('Plan', form());
    const [asked, planned] = [sent[0]!, await last(sent, 2)];
    expect(asked).toMatchObject({ what: 'POST /sites/hivewright.example/trial-plan' });
    expect(asked.body).toEqual({ of: 'page', treated: ['/a', '/b'], weeks: 4 });
    expect(planned.body).toEqual({
      site: 'hivewright.example',
      name: 'Titles',
      what: '',
      of: 'page',
      treated: ['/a', '/b'],
      control: ['text'],
      starts: '2026-04-01',
      weeks: 6,
    });
    await waitFor(() => expect(valueOf(/^Treated/, form())).toBe(''));
  });

  it('cannot be asked about without anything treated', async () => {
    changed();
    await opened(`${SITE}/trials`);
    expect(form().getByRole('button', { name: 'What could it show?' })).toBeDisabled();
    type(/^Treated/, ' \n', form());
    expect(form().getByRole('button', { name: 'What could it show?' })).toBeDisabled();
  });

  it('says why a plan is refused, beside its field', async () => {
    changed({ 'POST /trials': refusing('control') });
    await opened(`${SITE}/trials`);
    type(/^Name/, 'Titles', form());
    type(/^Treated/, '/a', form());
    type(/^Control/, '/a', form());
    type(/^First day/, '2026-04-01', form());
    await press('Plan', form());
    expect(await screen.findByText(REFUSED)).toBeVisible();
    expect(valueOf(/^Treated/, form())).toBe('/a');
  });
});

it.each([
  ['trials', 'DELETE /trials/1'],
  ['targets', 'DELETE /targets/1'],
])('one of %s is deleted only when that is confirmed', async (view, what) => {
  const asking = vi.spyOn(window, 'confirm').mockReturnValue(false);
  const sent = changed();
  await opened(`${SITE}/${view}`);
  await press('Delete: text');
  expect(sent).toEqual([]);
  asking.mockReturnValue(true);
  await press('Delete: text');
  expect(told([await last(sent, 1)])).toEqual([[what]]);
});
