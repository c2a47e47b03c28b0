/** Signing in. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { rememberCsrf, send, Trouble, type Me } from '../mind/api';
import { enterByPasskey, hasPasskeys } from '../mind/passkeys';
import { agencyLogo, agencyName } from '../mind/door';
import { me } from '../mind/questions';
import { TextIn, useFields } from '../skin/form';
import { ErrorNote } from '../skin/states';

export function SignIn() {
  const client = useQueryClient();
  const onSuccess = (found: Me) => {
    rememberCsrf(found.csrf);
    client.setQueryData(me.queryKey, found);
  };
  const enter = useMutation({
    mutationFn: (asked: { email: string; password: string; code: string }) => send<Me>('POST', '/session', asked),
    onSuccess,
  });
  const device = useMutation({ mutationFn: enterByPasskey, onSuccess });
  const forgotten = useMutation({
    mutationFn: (email: string) => send('POST', '/password-resets', { email }),
  });
  const form = useFields({ email: '', password: '', code: '' }, enter.error);
  const said = enter.error instanceof Trouble ? enter.error.code : '';
  const asksCode = said === 'second-factor-needed' || said === 'code-wrong' || form.watch('code') !== '';
  return (
    <main className="signin">
      <form onSubmit={form.handleSubmit((asked) => enter.mutate(asked))}>
        {agencyLogo() && <img className="logo" src={agencyLogo()} alt="" />}
        <h1>{agencyName()}</h1>
        <p className="lead side">
          <Trans>Search reports and history. Please sign in.</Trans>
        </p>
        <TextIn form={form} name="email" label={t`Mail address`} type="email" autoComplete="username" required />
        <TextIn
          form={form}
          name="password"
          label={t`Password`}
          type="password"
          autoComplete="current-password"
          required
        />
        {asksCode && (
          <TextIn
            form={form}
            name="code"
            label={t`Code of your authenticator`}
            autoComplete="one-time-code"
            slotProps={{ htmlInput: { inputMode: 'numeric', maxLength: 12 } }}
          />
        )}
        {enter.isError && said !== 'second-factor-needed' && <ErrorNote error={enter.error} />}
        <Button type="submit" variant="contained" disabled={enter.isPending}>
          {enter.isPending ? t`Signing in…` : t`Sign in`}
        </Button>
        {hasPasskeys() && (
          <Button variant="outlined" disabled={device.isPending} onClick={() => device.mutate()}>
            <Trans>Sign in with a passkey</Trans>
          </Button>
        )}
        {device.isError && <ErrorNote error={device.error} />}
        <p className="small">
          <button
            type="button"
            className="plain small"
            disabled={forgotten.isPending}
            onClick={() => {
              const email = form.getValues('email').trim();
              if (email) forgotten.mutate(email);
              else form.setError('email', { message: t`Whose? Type the address first.` }, { shouldFocus: true });
            }}
          >
            <Trans>I have forgotten my password</Trans>
          </button>
        </p>
        {forgotten.isSuccess && (
          <p className="small" role="status">
            <Trans>If that address is known here, a mail with a link is on its way.</Trans>
          </p>
        )}
        {forgotten.isError && <ErrorNote error={forgotten.error} />}
      </form>
    </main>
  );
}
