/** Signing in. */
import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { rememberCsrf, send, type Me } from '../mind/api';
import { me } from '../mind/questions';
import { Lamp } from '../skin/small';
import { TextIn, useFields } from '../skin/form';
import { ErrorNote } from '../skin/states';

export function SignIn() {
  const client = useQueryClient();
  const enter = useMutation({
    mutationFn: (asked: { email: string; password: string }) => send<Me>('POST', '/session', asked),
    onSuccess: (found) => {
      rememberCsrf(found.csrf);
      client.setQueryData(me.queryKey, found);
    },
  });
  const form = useFields({ email: '', password: '' }, enter.error);
  return (
    <main className="signin">
      <form onSubmit={form.handleSubmit((asked) => enter.mutate(asked))}>
        <h1 style={{ display: 'flex', gap: 10, alignItems: 'center' }}>
          <span style={{ width: 19, height: 24, display: 'block' }}>
            <Lamp />
          </span>
          Noctilum
        </h1>
        <p className="lead side">The log of every client’s search history.</p>
        <TextIn form={form} name="email" label="Mail address" type="email" autoComplete="username" required />
        <TextIn form={form} name="password" label="Password" type="password" autoComplete="current-password" required />
        {enter.isError && <ErrorNote error={enter.error} />}
        <Button type="submit" variant="contained" disabled={enter.isPending}>
          {enter.isPending ? 'Signing in…' : 'Sign in'}
        </Button>
      </form>
    </main>
  );
}
