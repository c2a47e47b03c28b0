/** Who may sign in, where they are signed in, which tokens programs hold, and one's own password. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import { useMutation, useQuery, useQueryClient, type QueryKey } from '@tanstack/react-query';
import { named } from '../mind/named';
import { send, type Me, type SignInOut, type TokenMade, type TokenOut, type UserOut } from '../mind/api';
import { addPasskey, hasPasskeys, passkeys } from '../mind/passkeys';
import { clients, me as meOf, signIns, tokens, users } from '../mind/questions';
import { longDay, when } from '../mind/words';
import { TextIn, useFields } from '../skin/form';
import { Answer, ErrorNote, Section } from '../skin/states';

const ROLES = [
  ['analyst', t`analyst: all but people and deleting`],
  ['reader', t`reader: figures and signed editions of some clients`],
  ['owner', t`owner: everything`],
] as const;

export default function People() {
  const who = useQuery(meOf);
  return (
    <main className="page">
      <div className="head">
        <h1>
          <Trans>People</Trans>
        </h1>
        <span className="small">
          <Trans>Who may sign in, and what is signed in.</Trans>
        </span>
      </div>
      <Answer of={who} height={300}>
        {(me) => (
          <div className="stack">
            {me.role === 'owner' && <Users me={me} />}
            <SignIns />
            <Tokens />
            <SecondFactor me={me} />
            <Passkeys />
            <Password />
          </div>
        )}
      </Answer>
    </main>
  );
}

/** Sends a change and asks the list it changes anew. */
function useChange<T, R = void>(change: (asked: T) => Promise<R>, lists: readonly QueryKey[]) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: () => Promise.all(lists.map((queryKey) => cache.invalidateQueries({ queryKey }))),
  });
}

function Users({ me }: { me: Me }) {
  const found = useQuery(users);
  const drop = useChange(
    (number: number) => send('DELETE', `/users/${number}`),
    [users.queryKey, tokens.queryKey, signIns.queryKey],
  );
  const turn = useChange(
    (user: UserOut) =>
      send<UserOut>('PATCH', `/users/${user.id}`, { role: user.role === 'owner' ? 'analyst' : 'owner' }),
    [users.queryKey],
  );
  return (
    <Section
      title={t`Users`}
      label={t`Users`}
      about={t`an owner may do everything, an analyst all but what concerns people and deleting for good`}
    >
      <Answer of={found} height={120}>
        {(all) => (
          <div className="wrap">
            <table className="t fit">
              <thead>
                <tr>
                  <th scope="col">
                    <Trans>Name</Trans>
                  </th>
                  <th scope="col">
                    <Trans>Mail address</Trans>
                  </th>
                  <th scope="col">
                    <Trans>Role</Trans>
                  </th>
                  <th scope="col">
                    <Trans>Clients</Trans>
                  </th>
                  <th scope="col">
                    <Trans>Since</Trans>
                  </th>
                  <th scope="col">
                    <span className="vh">
                      <Trans>Change</Trans>
                    </span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {all.map((user) => (
                  <tr key={user.id} style={{ height: 38 }}>
                    <th scope="row">
                      {user.name}
                      {user.id === me.id && (
                        <span className="small mut">
                          {' '}
                          <Trans>· you</Trans>
                        </span>
                      )}
                    </th>
                    <td>{user.email}</td>
                    <td>{named(user.role)}</td>
                    <td>{user.clients ? user.clients.join(', ') : t`all`}</td>
                    <td>{when(user.created_at)}</td>
                    <td>
                      {user.role !== 'reader' && (
                        <button
                          type="button"
                          className="plain"
                          disabled={turn.isPending}
                          onClick={() => turn.mutate(user)}
                          aria-label={
                            user.role === 'owner' ? t`Make analyst: ${user.name}` : t`Make owner: ${user.name}`
                          }
                        >
                          <Trans>Make {user.role === 'owner' ? t`analyst` : t`owner`}</Trans>
                        </button>
                      )}{' '}
                      <button
                        type="button"
                        className="plain"
                        disabled={drop.isPending}
                        onClick={() =>
                          window.confirm(t`Remove ${user.name}? Their tokens and sign-ins end at once.`) &&
                          drop.mutate(user.id)
                        }
                        aria-label={t`Remove ${user.name}`}
                      >
                        <Trans>Remove</Trans>
                      </button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </Answer>
      {(drop.error || turn.error) && <ErrorNote error={drop.error ?? turn.error} />}
      <NewUser />
    </Section>
  );
}

const NOBODY = { name: '', email: '', password: '', role: 'analyst', clients: [] as string[] };

function NewUser() {
  const add = useChange(
    ({ password, ...asked }: typeof NOBODY) =>
      password
        ? send<UserOut>('POST', '/users', { ...asked, password })
        : send<UserOut>('POST', '/users/invitations', asked),
    [users.queryKey],
  );
  const known = useQuery(clients);
  const form = useFields(NOBODY, add.error);
  const submit = form.handleSubmit((asked) =>
    add.mutate(asked, { onSuccess: () => form.reset({ ...NOBODY, role: asked.role }) }),
  );
  return (
    <form
      className="row"
      style={{ display: 'flex', flexWrap: 'wrap', gap: 10, alignItems: 'flex-start', marginTop: 10 }}
      onSubmit={submit}
    >
      <TextIn form={form} name="name" required label={t`Name`} />
      <TextIn form={form} name="email" required label={t`Their mail address`} type="email" />
      <TextIn
        form={form}
        name="password"
        label={t`Their first password`}
        type="password"
        autoComplete="new-password"
        helperText={t`Left empty, they are invited by mail and choose one.`}
      />
      <TextIn form={form} name="role" select label={t`Role`} sx={{ minWidth: 220 }}>
        {ROLES.map(([key, said]) => (
          <MenuItem key={key} value={key}>
            {said}
          </MenuItem>
        ))}
      </TextIn>
      {form.watch('role') !== 'owner' && (
        <TextIn
          form={form}
          name="clients"
          select
          label={t`For which clients`}
          sx={{ minWidth: 220 }}
          slotProps={{ select: { multiple: true } }}
          helperText={form.watch('role') === 'reader' ? t`One at least.` : t`All of them where none is chosen.`}
        >
          {(known.data ?? []).map((each) => (
            <MenuItem key={each.key} value={each.key}>
              {each.name}
            </MenuItem>
          ))}
        </TextIn>
      )}
      <Button type="submit" variant="outlined" disabled={add.isPending}>
        <Trans>Add a user</Trans>
      </Button>
      {add.isError && <ErrorNote error={add.error} />}
    </form>
  );
}

interface Begun {
  secret: string;
  picture: string;
}

/** A code of an authenticator beside the password. */
function Passkeys() {
  const found = useQuery(passkeys);
  const lists = [passkeys.queryKey];
  const add = useChange(addPasskey, lists);
  const drop = useChange((number: number) => send('DELETE', `/me/passkeys/${number}`), lists);
  const form = useFields({ label: '' }, add.error);
  return (
    <Section
      title={t`Passkeys`}
      label={t`Passkeys`}
      about={t`a device signs in for you, unlocked by you; neither password nor code is asked for`}
    >
      <Answer of={found} height={40}>
        {(all) => (
          <ul className="plainlist">
            {all.map((each) => (
              <li key={each.id}>
                <b>{each.label}</b>{' '}
                <span className="small">
                  {each.used_at ? t`used ${when(each.used_at)}` : t`since ${longDay(each.created_at.slice(0, 10))}`}
                </span>{' '}
                <button
                  type="button"
                  className="plain small"
                  disabled={drop.isPending}
                  aria-label={t`Drop the passkey ${each.label}`}
                  onClick={() => drop.mutate(each.id)}
                >
                  <Trans>Drop it</Trans>
                </button>
              </li>
            ))}
          </ul>
        )}
      </Answer>
      {hasPasskeys() ? (
        <form
          className="acts"
          onSubmit={form.handleSubmit((asked) => add.mutate(asked.label, { onSuccess: () => form.reset() }))}
        >
          <TextIn form={form} name="label" label={t`What the device is called`} required />
          <Button type="submit" variant="outlined" disabled={add.isPending}>
            <Trans>Add a passkey</Trans>
          </Button>
        </form>
      ) : (
        <p className="small">
          <Trans>A passkey is of a name: open this console under its host name, or as localhost on this machine.</Trans>
        </p>
      )}
      {(add.isError || drop.isError) && <ErrorNote error={add.error ?? drop.error} />}
    </Section>
  );
}

function SecondFactor({ me }: { me: Me }) {
  const begin = useChange(() => send<Begun>('POST', '/me/second-factor'), []);
  const turn = useChange(
    (code: string) =>
      me.second_factor ? send('POST', '/me/second-factor/end', { code }) : send('PUT', '/me/second-factor', { code }),
    [meOf.queryKey, users.queryKey],
  );
  const form = useFields({ code: '' }, turn.error);
  const told = begin.data;
  return (
    <Section
      title={t`Second factor`}
      label={t`Second factor`}
      about={me.second_factor ? t`a code is asked for at signing in` : t`off: the password alone lets one in`}
    >
      {!me.second_factor && !told && (
        <Button variant="outlined" disabled={begin.isPending} onClick={() => begin.mutate(undefined)}>
          <Trans>Begin one</Trans>
        </Button>
      )}
      {told && !me.second_factor && (
        <div className="acts">
          <img
            alt={t`QR code for an authenticator`}
            width={180}
            height={180}
            src={`data:image/svg+xml;utf8,${encodeURIComponent(svgOf(told.picture))}`}
          />
          <p className="small">
            <Trans>
              Show it to your authenticator, or type <b>{told.secret}</b>.
            </Trans>
          </p>
        </div>
      )}
      {(told || me.second_factor) && (
        <form
          className="acts"
          onSubmit={(e) => {
            e.preventDefault();
            void form.handleSubmit((asked) => turn.mutate(asked.code, { onSuccess: () => form.reset() }))();
          }}
        >
          <TextIn form={form} name="code" label={t`A code of it`} required autoComplete="one-time-code" />
          <Button type="submit" variant="outlined" disabled={turn.isPending}>
            {me.second_factor ? t`Turn it off` : t`Turn it on`}
          </Button>
        </form>
      )}
      {begin.isError && <ErrorNote error={begin.error} />}
      {turn.isError && <ErrorNote error={turn.error} />}
    </Section>
  );
}

const svgOf = (inline: string) =>
  inline.includes('xmlns=') ? inline : inline.replace('<svg ', '<svg xmlns="http://www.w3.org/2000/svg" ');

function SignIns() {
  const found = useQuery(signIns);
  const end = useChange((number: number) => send('DELETE', `/sign-ins/${number}`), [signIns.queryKey]);
  const others = useChange(() => send('DELETE', '/sign-ins'), [signIns.queryKey]);
  return (
    <Section
      title={t`Signed in`}
      label={t`Signed in`}
      about={t`a browser that is not used for 14 days is signed out`}
      right={
        <button type="button" className="plain" disabled={others.isPending} onClick={() => others.mutate(undefined)}>
          <Trans>End all my others</Trans>
        </button>
      }
    >
      <Answer of={found} height={80}>
        {(all) => (
          <div className="wrap" tabIndex={0} role="region" aria-label={t`Where people are signed in`}>
            <table className="t fit">
              <thead>
                <tr>
                  <th scope="col">
                    <Trans>Whose</Trans>
                  </th>
                  <th scope="col">
                    <Trans>From</Trans>
                  </th>
                  <th scope="col">
                    <Trans>With</Trans>
                  </th>
                  <th scope="col">
                    <Trans>Last seen</Trans>
                  </th>
                  <th scope="col">
                    <Trans>Ends</Trans>
                  </th>
                  <th scope="col">
                    <span className="vh">
                      <Trans>End</Trans>
                    </span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {all.map((each) => (
                  <SignInRow key={each.id} each={each} busy={end.isPending} end={() => end.mutate(each.id)} />
                ))}
              </tbody>
            </table>
          </div>
        )}
      </Answer>
      {(end.error || others.error) && <ErrorNote error={end.error ?? others.error} />}
    </Section>
  );
}

function SignInRow({ each, busy, end }: { each: SignInOut; busy: boolean; end: () => void }) {
  return (
    <tr style={{ height: 36 }}>
      <th scope="row">{each.user}</th>
      <td>{each.address}</td>
      <td title={each.agent}>{browser(each.agent)}</td>
      <td>{when(each.seen_at)}</td>
      <td>{when(each.until)}</td>
      <td>
        {each.this ? (
          <span className="small mut">
            <Trans>this one</Trans>
          </span>
        ) : (
          <button
            type="button"
            className="plain"
            disabled={busy}
            onClick={end}
            aria-label={t`End the sign-in of ${each.user} from ${each.address}`}
          >
            <Trans>End</Trans>
          </button>
        )}
      </td>
    </tr>
  );
}

/** What a browser calls itself, in two words; as it is where it cannot be told. */
function browser(agent: string): string {
  const name = [
    ['Edg/', 'Edge'],
    ['OPR/', 'Opera'],
    ['Firefox/', 'Firefox'],
    ['Chrome/', 'Chrome'],
    ['Safari/', 'Safari'],
  ].find(([sign]) => agent.includes(sign!))?.[1];
  const system = [
    ['Android', 'Android'],
    ['iPhone', 'iPhone'],
    ['iPad', 'iPad'],
    ['Windows', 'Windows'],
    ['Mac OS', 'Mac'],
    ['Linux', 'Linux'],
  ].find(([sign]) => agent.includes(sign!))?.[1];
  return name ? `${name}${system ? ` on ${system}` : ''}` : agent.slice(0, 40) || '–';
}

function Tokens() {
  const found = useQuery(tokens);
  const add = useChange(
    ({ label, days }: { label: string; days: string }) =>
      send<TokenMade>('POST', '/tokens', { label, days: days ? Number(days) : null }),
    [tokens.queryKey],
  );
  const form = useFields({ label: '', days: '' }, add.error);
  const drop = useChange((number: number) => send('DELETE', `/tokens/${number}`), [tokens.queryKey]);
  return (
    <Section
      title={t`Tokens`}
      label={t`Tokens`}
      about={t`for programs and the command line; each may do what its user may`}
    >
      <Answer of={found} height={80}>
        {(all) =>
          all.length ? (
            <TokenTable all={all} drop={(number) => drop.mutate(number)} />
          ) : (
            <p className="small">
              <Trans>None yet. A program needs one to use the API.</Trans>
            </p>
          )
        }
      </Answer>
      {drop.isError && <ErrorNote error={drop.error} />}
      {add.data && (
        <p className="note" role="status" style={{ overflowWrap: 'anywhere' }}>
          <Trans>
            Shown this once: <code>{add.data.token}</code>
          </Trans>
        </p>
      )}
      <form
        style={{ display: 'flex', flexWrap: 'wrap', gap: 10, alignItems: 'flex-start', marginTop: 10 }}
        onSubmit={form.handleSubmit((asked) => add.mutate(asked, { onSuccess: () => form.resetField('label') }))}
      >
        <TextIn form={form} name="label" required label={t`What the token is for`} />
        <TextIn
          form={form}
          name="days"
          label={t`Days it holds`}
          type="number"
          helperText={t`Empty: until it is revoked.`}
        />
        <Button type="submit" variant="outlined" disabled={add.isPending}>
          <Trans>Make a token</Trans>
        </Button>
        {add.isError && <ErrorNote error={add.error} />}
      </form>
    </Section>
  );
}

function TokenTable({ all, drop }: { all: readonly TokenOut[]; drop: (number: number) => void }) {
  return (
    <div className="wrap">
      <table className="t fit">
        <thead>
          <tr>
            <th scope="col">
              <Trans>For</Trans>
            </th>
            <th scope="col">
              <Trans>Whose</Trans>
            </th>
            <th scope="col">
              <Trans>Made</Trans>
            </th>
            <th scope="col">
              <Trans>Last used</Trans>
            </th>
            <th scope="col">
              <Trans>Holds until</Trans>
            </th>
            <th scope="col">
              <span className="vh">
                <Trans>Revoke</Trans>
              </span>
            </th>
          </tr>
        </thead>
        <tbody>
          {all.map((token) => (
            <tr key={token.id} style={{ height: 36 }}>
              <th scope="row">{token.label}</th>
              <td>{token.user}</td>
              <td>{when(token.created_at)}</td>
              <td>{token.used_at ? when(token.used_at) : t`never`}</td>
              <td>{token.until ? when(token.until) : t`it is revoked`}</td>
              <td>
                <button
                  type="button"
                  className="plain"
                  onClick={() =>
                    window.confirm(t`Revoke ${token.label}? What uses it stops at once.`) && drop(token.id)
                  }
                  aria-label={t`Revoke ${token.label}`}
                >
                  <Trans>Revoke</Trans>
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Password() {
  const change = useChange(
    (asked: { old: string; new: string }) => send('PUT', '/me/password', asked),
    [signIns.queryKey],
  );
  const form = useFields({ old: '', new: '' }, change.error);
  return (
    <Section title={t`My password`} label={t`My password`} about={t`changing it ends my other sign-ins; tokens stay`}>
      <form
        style={{ display: 'flex', flexWrap: 'wrap', gap: 10, alignItems: 'flex-start' }}
        onSubmit={form.handleSubmit((asked) => change.mutate(asked, { onSuccess: () => form.reset() }))}
      >
        <TextIn
          form={form}
          name="old"
          required
          label={t`The old one`}
          type="password"
          autoComplete="current-password"
        />
        <TextIn
          form={form}
          name="new"
          required
          label={t`The new one`}
          type="password"
          autoComplete="new-password"
          helperText={t`At least 12 characters, none of the common ones.`}
        />
        <Button type="submit" variant="outlined" disabled={change.isPending}>
          <Trans>Change it</Trans>
        </Button>
        {change.isSuccess && (
          <p role="status" className="small">
            <Trans>Changed.</Trans>
          </p>
        )}
        {change.isError && <ErrorNote error={change.error} />}
      </form>
    </Section>
  );
}
