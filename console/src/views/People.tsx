/** Who may sign in, where they are signed in, which tokens programs hold, and one's own password. */
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import { useMutation, useQuery, useQueryClient, type QueryKey } from '@tanstack/react-query';
import { send, type Me, type SignInOut, type TokenMade, type TokenOut, type UserOut } from '../mind/api';
import { clients, me as meOf, signIns, tokens, users } from '../mind/questions';
import { when } from '../mind/words';
import { TextIn, useFields } from '../skin/form';
import { Answer, ErrorNote, Section } from '../skin/states';

const ROLES = [
  ['analyst', 'analyst: all but people and deleting'],
  ['reader', 'reader: figures and signed editions of some clients'],
  ['owner', 'owner: everything'],
] as const;

export default function People() {
  const who = useQuery(meOf);
  return (
    <main className="page">
      <div className="head">
        <h1>People</h1>
        <span className="small">Who may sign in, and what is signed in.</span>
      </div>
      <Answer of={who} height={300}>
        {(me) => (
          <div className="stack">
            {me.role === 'owner' && <Users me={me} />}
            <SignIns />
            <Tokens />
            <SecondFactor me={me} />
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
      title="Users"
      label="Users"
      about="an owner may do everything, an analyst all but what concerns people and deleting for good"
    >
      <Answer of={found} height={120}>
        {(all) => (
          <div className="wrap">
            <table className="t fit">
              <thead>
                <tr>
                  <th scope="col">Name</th>
                  <th scope="col">Mail address</th>
                  <th scope="col">Role</th>
                  <th scope="col">Clients</th>
                  <th scope="col">Since</th>
                  <th scope="col">
                    <span className="vh">Change</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {all.map((user) => (
                  <tr key={user.id} style={{ height: 38 }}>
                    <th scope="row">
                      {user.name}
                      {user.id === me.id && <span className="small mut"> · you</span>}
                    </th>
                    <td>{user.email}</td>
                    <td>{user.role}</td>
                    <td>{user.clients ? user.clients.join(', ') : 'all'}</td>
                    <td>{when(user.created_at)}</td>
                    <td>
                      {user.role !== 'reader' && (
                        <button
                          type="button"
                          className="plain"
                          disabled={turn.isPending}
                          onClick={() => turn.mutate(user)}
                          aria-label={`Make ${user.role === 'owner' ? 'analyst' : 'owner'}: ${user.name}`}
                        >
                          Make {user.role === 'owner' ? 'analyst' : 'owner'}
                        </button>
                      )}{' '}
                      <button
                        type="button"
                        className="plain"
                        disabled={drop.isPending}
                        onClick={() =>
                          window.confirm(`Remove ${user.name}? Their tokens and sign-ins end at once.`) &&
                          drop.mutate(user.id)
                        }
                        aria-label={`Remove ${user.name}`}
                      >
                        Remove
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
      <TextIn form={form} name="name" required label="Name" />
      <TextIn form={form} name="email" required label="Their mail address" type="email" />
      <TextIn
        form={form}
        name="password"
        label="Their first password"
        type="password"
        autoComplete="new-password"
        helperText="Left empty, they are invited by mail and choose one."
      />
      <TextIn form={form} name="role" select label="Role" sx={{ minWidth: 220 }}>
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
          label="For which clients"
          sx={{ minWidth: 220 }}
          slotProps={{ select: { multiple: true } }}
          helperText={form.watch('role') === 'reader' ? 'One at least.' : 'All of them where none is chosen.'}
        >
          {(known.data ?? []).map((each) => (
            <MenuItem key={each.key} value={each.key}>
              {each.name}
            </MenuItem>
          ))}
        </TextIn>
      )}
      <Button type="submit" variant="outlined" disabled={add.isPending}>
        Add a user
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
      title="Second factor"
      label="Second factor"
      about={me.second_factor ? 'a code is asked for at signing in' : 'off: the password alone lets one in'}
    >
      {!me.second_factor && !told && (
        <Button variant="outlined" disabled={begin.isPending} onClick={() => begin.mutate(undefined)}>
          Begin one
        </Button>
      )}
      {told && !me.second_factor && (
        <div className="acts">
          <img
            alt="QR code for an authenticator"
            width={180}
            height={180}
            src={`data:image/svg+xml;utf8,${encodeURIComponent(svgOf(told.picture))}`}
          />
          <p className="small">
            Show it to your authenticator, or type <b>{told.secret}</b>.
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
          <TextIn form={form} name="code" label="A code of it" required autoComplete="one-time-code" />
          <Button type="submit" variant="outlined" disabled={turn.isPending}>
            {me.second_factor ? 'Turn it off' : 'Turn it on'}
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
      title="Signed in"
      label="Signed in"
      about="a browser that is not used for 14 days is signed out"
      right={
        <button type="button" className="plain" disabled={others.isPending} onClick={() => others.mutate(undefined)}>
          End all my others
        </button>
      }
    >
      <Answer of={found} height={80}>
        {(all) => (
          <div className="wrap" tabIndex={0} role="region" aria-label="Where people are signed in">
            <table className="t fit">
              <thead>
                <tr>
                  <th scope="col">Whose</th>
                  <th scope="col">From</th>
                  <th scope="col">With</th>
                  <th scope="col">Last seen</th>
                  <th scope="col">Ends</th>
                  <th scope="col">
                    <span className="vh">End</span>
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
          <span className="small mut">this one</span>
        ) : (
          <button
            type="button"
            className="plain"
            disabled={busy}
            onClick={end}
            aria-label={`End the sign-in of ${each.user} from ${each.address}`}
          >
            End
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
    <Section title="Tokens" label="Tokens" about="for programs and the command line; each may do what its user may">
      <Answer of={found} height={80}>
        {(all) =>
          all.length ? (
            <TokenTable all={all} drop={(number) => drop.mutate(number)} />
          ) : (
            <p className="small">None yet. A program needs one to use the API.</p>
          )
        }
      </Answer>
      {drop.isError && <ErrorNote error={drop.error} />}
      {add.data && (
        <p className="note" role="status" style={{ overflowWrap: 'anywhere' }}>
          Shown this once: <code>{add.data.token}</code>
        </p>
      )}
      <form
        style={{ display: 'flex', flexWrap: 'wrap', gap: 10, alignItems: 'flex-start', marginTop: 10 }}
        onSubmit={form.handleSubmit((asked) => add.mutate(asked, { onSuccess: () => form.resetField('label') }))}
      >
        <TextIn form={form} name="label" required label="What the token is for" />
        <TextIn form={form} name="days" label="Days it holds" type="number" helperText="Empty: until it is revoked." />
        <Button type="submit" variant="outlined" disabled={add.isPending}>
          Make a token
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
            <th scope="col">For</th>
            <th scope="col">Whose</th>
            <th scope="col">Made</th>
            <th scope="col">Last used</th>
            <th scope="col">Holds until</th>
            <th scope="col">
              <span className="vh">Revoke</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {all.map((token) => (
            <tr key={token.id} style={{ height: 36 }}>
              <th scope="row">{token.label}</th>
              <td>{token.user}</td>
              <td>{when(token.created_at)}</td>
              <td>{token.used_at ? when(token.used_at) : 'never'}</td>
              <td>{token.until ? when(token.until) : 'it is revoked'}</td>
              <td>
                <button
                  type="button"
                  className="plain"
                  onClick={() => window.confirm(`Revoke ${token.label}? What uses it stops at once.`) && drop(token.id)}
                  aria-label={`Revoke ${token.label}`}
                >
                  Revoke
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
    <Section title="My password" label="My password" about="changing it ends my other sign-ins; tokens stay">
      <form
        style={{ display: 'flex', flexWrap: 'wrap', gap: 10, alignItems: 'flex-start' }}
        onSubmit={form.handleSubmit((asked) => change.mutate(asked, { onSuccess: () => form.reset() }))}
      >
        <TextIn form={form} name="old" required label="The old one" type="password" autoComplete="current-password" />
        <TextIn
          form={form}
          name="new"
          required
          label="The new one"
          type="password"
          autoComplete="new-password"
          helperText="At least 12 characters, none of the common ones."
        />
        <Button type="submit" variant="outlined" disabled={change.isPending}>
          Change it
        </Button>
        {change.isSuccess && (
          <p role="status" className="small">
            Changed.
          </p>
        )}
        {change.isError && <ErrorNote error={change.error} />}
      </form>
    </Section>
  );
}
