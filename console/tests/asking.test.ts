import { QueryObserver } from '@tanstack/react-query';
import { expect, it, vi } from 'vitest';
import { Asking } from '../src/mind/asking';

it('an answer on its way from before a change is not taken for the one after it', async () => {
  const client = new Asking();
  const answers: Array<(value: string) => void> = [];
  const ask = () => new Promise<string>((answer) => answers.push(answer));
  const observer = new QueryObserver(client, { queryKey: ['sets'], queryFn: ask });
  const stop = observer.subscribe(() => undefined);
  await vi.waitFor(() => expect(answers).toHaveLength(1));
  const done = client.invalidateQueries({ queryKey: ['sets'] });
  await vi.waitFor(() => expect(answers).toHaveLength(2));
  answers[0]?.('before');
  answers[1]?.('after');
  await done;
  expect(observer.getCurrentResult().data).toBe('after');
  stop();
});
