/** What the service is too busy to begin is asked again by itself; a reader is told only when that goes on. */
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { send, Trouble } from '../src/mind/api';

const busy = () =>
  new Response(JSON.stringify({ code: 'reports-busy', title: 'Other reports are being made right now.' }), {
    status: 503,
    headers: { 'Retry-After': '5', 'Content-Type': 'application/problem+json' },
  });
const done = () =>
  new Response(JSON.stringify({ pages: 2 }), { status: 200, headers: { 'Content-Type': 'application/json' } });

beforeEach(() => vi.useFakeTimers());
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

test('the answer comes when there is a turn, after the time that was asked for', async () => {
  const fetching = vi.fn().mockResolvedValueOnce(busy()).mockResolvedValueOnce(busy()).mockResolvedValue(done());
  vi.stubGlobal('fetch', fetching);
  const asked = send('POST', '/sites/a.example/report-draft', { paged: true });
  await vi.advanceTimersByTimeAsync(4_900);
  expect(fetching).toHaveBeenCalledTimes(1);
  await vi.advanceTimersByTimeAsync(6_000);
  await expect(asked).resolves.toEqual({ pages: 2 });
  expect(fetching).toHaveBeenCalledTimes(3);
  expect(fetching.mock.calls[2]).toEqual(fetching.mock.calls[0]);
});

test('half a minute without a turn is told, and a service that failed is not asked again', async () => {
  const fetching = vi.fn().mockImplementation(() => Promise.resolve(busy()));
  vi.stubGlobal('fetch', fetching);
  const asked = send('POST', '/sites/a.example/report-draft').catch((error: unknown) => error);
  await vi.advanceTimersByTimeAsync(60_000);
  expect(await asked).toBeInstanceOf(Trouble);
  expect(fetching).toHaveBeenCalledTimes(6);
  fetching.mockClear();
  fetching.mockResolvedValue(new Response('{"code": "internal", "title": "It failed."}', { status: 500 }));
  await expect(send('POST', '/reports')).rejects.toThrow('It failed.');
  expect(fetching).toHaveBeenCalledTimes(1);
});
