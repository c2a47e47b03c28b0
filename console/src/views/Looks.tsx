/** How the agency and its clients look in reports, mails and shared pages: logo, colours, names. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import { useQuery, useQueryClient, useMutation } from '@tanstack/react-query';
import { send, type AgencyLookOut, type Client } from '../mind/api';
import { agencyLook, clients, me as meOf } from '../mind/questions';
import { CheckIn, Sends, TextIn, useFields } from '../skin/form';
import { Answer, ErrorNote, Section } from '../skin/states';

export default function Looks() {
  const known = useQuery(clients);
  const who = useQuery(meOf);
  const ours = useQuery(agencyLook);
  return (
    <main className="page">
      <div className="head">
        <h1>
          <Trans>Looks</Trans>
        </h1>
        <span className="small">
          <Trans>of reports, mails and shared pages; what is sent stays as it was</Trans>
        </span>
      </div>
      <div className="stack">
        <Answer of={known} height={300}>
          {(all) => all.map((each) => <OfClient key={`${each.key}${each.logo}`} of={each} />)}
        </Answer>
        {who.data?.role === 'owner' && (
          <Answer of={ours} height={120}>
            {(found) => <OfAgency key={found.logo} of={found} />}
          </Answer>
        )}
      </div>
    </main>
  );
}

function useLook<T>(act: (asked: T) => Promise<unknown>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () => Promise.all([['clients'], ['agency']].map((queryKey) => cache.invalidateQueries({ queryKey }))),
  });
}

/** A file as the service takes it. */
async function inBase64(file: File): Promise<string> {
  const bytes = new Uint8Array(await file.arrayBuffer());
  let text = '';
  for (const byte of bytes) text += String.fromCharCode(byte);
  return btoa(text);
}

function Logo({ at, kept, name }: { at: string; kept: string; name: string }) {
  const keep = useLook(async (file: File) => send('PUT', at, { image: await inBase64(file) }));
  const drop = useLook(() => send('DELETE', at));
  const [stamp, again] = useState(0);
  return (
    <div className="acts">
      {kept ? (
        <img src={`/api/v1${at}?${stamp}`.replace(/\?0$/, '')} alt={t`Logo of ${name}`} height={32} />
      ) : (
        <span className="small">
          <Trans>no logo</Trans>
        </span>
      )}
      <label className="plain small">
        {kept ? t`Another logo` : t`Choose a logo`}
        <input
          type="file"
          className="vh"
          accept="image/png,image/svg+xml"
          aria-label={t`Logo of ${name}`}
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) keep.mutate(file, { onSuccess: () => again((n) => n + 1) });
          }}
        />
      </label>
      {kept && (
        <button type="button" className="plain small" onClick={() => drop.mutate(undefined as never)}>
          <Trans>Drop it</Trans>
        </button>
      )}
      <span className="small mut">
        <Trans>PNG or SVG, 400 kB at most</Trans>
      </span>
      {keep.isError && <ErrorNote error={keep.error} />}
      {drop.isError && <ErrorNote error={drop.error} />}
    </div>
  );
}

function OfClient({ of }: { of: Client }) {
  const change = useLook((asked: Record<string, unknown>) => send('PATCH', `/clients/${of.key}`, asked));
  const form = useFields(
    { colour: of.colour, accent: of.accent, sender: of.sender, footer: of.footer, language: of.language },
    change.error,
  );
  const darkened = of.printed.toLowerCase() !== of.colour.toLowerCase();
  return (
    <Section title={of.name} about={of.language} label={of.name}>
      <Logo at={`/clients/${of.key}/logo`} kept={of.logo} name={of.name} />
      <form
        className="acts"
        onSubmit={(e) => {
          e.preventDefault();
          void form.handleSubmit((asked) => change.mutate(asked))();
        }}
      >
        <TextIn form={form} name="colour" label={t`Colour`} type="color" sx={{ width: 90 }} />
        <TextIn form={form} name="accent" label={t`Second colour`} type="color" sx={{ width: 110 }} />
        <TextIn form={form} name="language" label={t`Language`} sx={{ width: 90 }} />
        <TextIn form={form} name="sender" label={t`Mails come from`} />
        <TextIn form={form} name="footer" label={t`At the foot of its pages`} />
        <Sends text={t`Keep`} busy={change.isPending} />
      </form>
      {darkened && (
        <p className="small">
          <Trans>
            Printed as <b style={{ color: of.printed }}>{of.printed}</b>: its own colour would be hard to read on white.
          </Trans>
        </p>
      )}
      {change.isError && <ErrorNote error={change.error} />}
    </Section>
  );
}

function OfAgency({ of }: { of: AgencyLookOut }) {
  const change = useLook((asked: Record<string, unknown>) => send('PATCH', '/agency', asked));
  const form = useFields({ sender: of.sender, footer: of.footer, credit: of.credit }, change.error);
  return (
    <Section title={of.name} about={t`for clients without a look of their own`} label={t`The agency`}>
      <Logo at="/agency/logo" kept={of.logo} name={of.name} />
      <form
        className="acts"
        onSubmit={(e) => {
          e.preventDefault();
          void form.handleSubmit((asked) => change.mutate(asked))();
        }}
      >
        <TextIn form={form} name="sender" label={t`Mails come from`} />
        <TextIn form={form} name="footer" label={t`At the foot of pages`} />
        <CheckIn form={form} name="credit" label={t`The foot names Noctilum`} />
        <Sends text={t`Keep`} busy={change.isPending} />
      </form>
      {change.isError && <ErrorNote error={change.error} />}
    </Section>
  );
}
