/** Signing in. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { rememberCsrf, send, type Me } from '../mind/api';
import { me } from '../mind/questions';
import { Lamp } from '../skin/small';
import { ErrorNote } from '../skin/states';

export function SignIn() {
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const client = useQueryClient();
  const enter = useMutation({
    mutationFn: () => send<Me>('POST', '/session', { email, password }),
    onSuccess: (found) => {
      rememberCsrf(found.csrf);
      client.setQueryData(me.queryKey, found);
    },
  });
  return (
    <main className="signin">
      <form
        onSubmit={(e) => {
          e.preventDefault();
          enter.mutate();
        }}
      >
        <h1 style={{ display: 'flex', gap: 10, alignItems: 'center' }}>
          <span style={{ width: 19, height: 24, display: 'block' }}>
            <Lamp />
          </span>
          Noctilum
        </h1>
        <p className="lead side">The log of every client’s search history.</p>
        <TextField
          label="Mail address"
          type="email"
          autoComplete="username"
          required
          value={email}
          onChange={(e) => setEmail(e.target.value)}
        />
        <TextField
          label="Password"
          type="password"
          autoComplete="current-password"
          required
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
        {enter.isError && <ErrorNote error={enter.error} />}
        <Button type="submit" variant="contained" disabled={enter.isPending}>
          {enter.isPending ? 'Signing in…' : 'Sign in'}
        </Button>
      </form>
    </main>
  );
}
