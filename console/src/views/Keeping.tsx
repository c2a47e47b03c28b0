/** Looking after what is held: checking it, how long it is kept, handing a site over, deleting for good. */
import { plural, t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useWatch } from 'react-hook-form';
import {
  send,
  siteKey,
  upload,
  type BroughtIn,
  type Client,
  type Job,
  type SiteSummary,
  type VerifyDone,
} from '../mind/api';
import { clients, erasures, me } from '../mind/questions';
import { useWork } from '../mind/work';
import { count, longDay, when } from '../mind/words';
import { EraseDialog, type Doomed } from '../skin/EraseDialog';
import { JobState, MadeFile } from '../skin/JobMade';
import { TextIn, useFields } from '../skin/form';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';

export default function Keeping() {
  const found = useQuery(clients);
  const [doomed, setDoomed] = useState<Doomed>();
  const owner = useIsOwner();
  return (
    <main className="page">
      <div className="head">
        <h1>
          <Trans>Keeping</Trans>
        </h1>
        <span className="small">
          <Trans>History is kept for ever, unless you set a rule or delete it here.</Trans>
        </span>
      </div>
      <Answer of={found} height={300}>
        {(all) =>
          all.length ? (
            <div className="stack">
              <Clients all={all} doom={setDoomed} />
              <div className="cols">
                <Check />
                {owner && <BringIn all={all} />}
              </div>
              <Erasures />
            </div>
          ) : (
            <>
              <Empty why={t`There is no client yet.`}>
                <Trans>Add one under Sources, or take a hand-over file in.</Trans>
              </Empty>
              <BringIn all={all} />
            </>
          )
        }
      </Answer>
      <EraseDialog doomed={doomed} close={() => setDoomed(undefined)} />
    </main>
  );
}

function Clients({ all, doom }: { all: readonly Client[]; doom: (of: Doomed) => void }) {
  return (
    <Section
      title={t`Clients and sites`}
      about={t`a hand-over is one file with the whole history of a site`}
      label={t`Clients and sites`}
    >
      <div className="wrap">
        <table className="t fit">
          <thead>
            <tr>
              <th scope="col">
                <Trans>Client</Trans>
              </th>
              <th scope="col">
                <Trans>History is kept</Trans>
              </th>
              <th scope="col">
                <Trans>Site</Trans>
              </th>
              <th scope="col">
                <Trans>Hand over</Trans>
              </th>
              <th scope="col">
                <span className="vh">
                  <Trans>Delete</Trans>
                </span>
              </th>
            </tr>
          </thead>
          {all.map((client) => (
            <tbody key={client.key}>
              {(client.sites.length ? client.sites : [undefined]).map((site, n) => (
                <tr key={site?.key ?? ''} style={{ height: 38 }}>
                  {n === 0 && (
                    <th scope="rowgroup" rowSpan={Math.max(1, client.sites.length)}>
                      {client.name}{' '}
                      <Erase
                        name={client.name}
                        go={() =>
                          doom({
                            kind: 'client',
                            key: client.key,
                            name: client.name,
                            sites: client.sites.map((s) => s.host),
                          })
                        }
                      />
                    </th>
                  )}
                  {n === 0 && (
                    <td rowSpan={Math.max(1, client.sites.length)}>
                      <Rule client={client} />
                    </td>
                  )}
                  <td>
                    {site?.host ?? (
                      <span className="mut">
                        <Trans>no site</Trans>
                      </span>
                    )}
                  </td>
                  <td>{site && <HandOver site={site} />}</td>
                  <td>
                    {site && (
                      <Erase
                        name={site.host}
                        go={() => doom({ kind: 'site', key: site.key, name: site.host, sites: [site.host] })}
                      />
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          ))}
        </table>
      </div>
    </Section>
  );
}

/** Whether the reader is an owner: what deletes for good is shown to owners only. */
function useIsOwner(): boolean {
  return useQuery(me).data?.role === 'owner';
}

function Erase({ name, go }: { name: string; go: () => void }) {
  if (!useIsOwner()) return null;
  return (
    <button type="button" className="plain" onClick={go} aria-label={t`Delete… ${name}`}>
      <Trans>Delete…</Trans>
    </button>
  );
}

function Rule({ client }: { client: Client }) {
  const query = useQueryClient();
  const kept = client.keep_months ? String(client.keep_months) : '';
  const owner = useIsOwner();
  const keep = useMutation({
    mutationFn: (months: string) =>
      send<Client>('PATCH', `/clients/${client.key}`, { keep_months: Number(months) || 0 }),
    onSuccess: () => query.invalidateQueries({ queryKey: clients.queryKey }),
  });
  const form = useFields<{ keep_months: string }>({ keep_months: kept }, keep.error);
  const months = useWatch({ control: form.control, name: 'keep_months' });
  if (!owner) return <span>{kept ? t`for ${kept} months` : t`for ever`}</span>;
  return (
    <form
      onSubmit={(e) => void form.handleSubmit((told) => keep.mutate(told.keep_months))(e)}
      style={{ display: 'flex', gap: 6, alignItems: 'center', flexWrap: 'wrap' }}
    >
      <Trans>for</Trans>
      <TextIn
        form={form}
        name="keep_months"
        type="number"
        size="small"
        variant="standard"
        placeholder={t`ever`}
        style={{ width: 64 }}
        rules={{
          min: { value: 0, message: t`No fewer than 0 months.` },
          max: { value: 1200, message: t`No more than 1,200 months.` },
        }}
        slotProps={{ htmlInput: { 'aria-label': t`Months of history kept for ${client.name}; empty for ever` } }}
      />
      {months ? t`months` : ''}
      {months !== kept && (
        <Button type="submit" variant="text" disabled={keep.isPending}>
          {months ? t`Keep only these` : t`Keep for ever`}
        </Button>
      )}
      {months !== kept && months !== '' && (
        <span className="small">
          <Trans>Older days go at night, for good.</Trans>
        </span>
      )}
      {keep.isError && <ErrorNote error={keep.error} />}
    </form>
  );
}

function HandOver({ site }: { site: SiteSummary }) {
  const { start, job, busy } = useWork(() => send<Job>('POST', `/sites/${siteKey(site.key)}/hand-overs`));
  return (
    <>
      {job?.state !== 'done' && (
        <Button
          variant="text"
          disabled={busy}
          onClick={() => start.mutate()}
          aria-label={t`Write the file of ${site.host}`}
        >
          {busy ? t`Writing…` : t`Write the file`}
        </Button>
      )}
      {job && <MadeFile job={job} name={t`Writing ${site.host}`} />}
      {start.isError && <ErrorNote error={start.error} />}
    </>
  );
}

function Check() {
  const [repair, setRepair] = useState(false);
  const { start, job, busy } = useWork(() => send<Job>('POST', '/verifies', { repair }));
  const result = job?.state === 'done' ? (job.result as VerifyDone) : undefined;
  return (
    <Section
      title={t`Check what is held`}
      about={t`every block’s checksum, every day’s sums, every term`}
      label={t`Check what is held`}
    >
      <p style={{ display: 'flex', gap: 14, alignItems: 'center', flexWrap: 'wrap' }}>
        <Button variant="outlined" disabled={busy} onClick={() => start.mutate()}>
          {busy ? t`Checking…` : t`Check everything`}
        </Button>
        <label className="small">
          <input type="checkbox" checked={repair} onChange={(e) => setRepair(e.target.checked)} />{' '}
          <Trans>take damaged days out and pull them again</Trans>
        </label>
      </p>
      {start.isError && <ErrorNote error={start.error} />}
      {job && <JobState job={job} name={t`Checking what is held`} />}
      {result && <Found result={result} />}
    </Section>
  );
}

function Found({ result }: { result: VerifyDone }) {
  const of = plural(result.sites, { one: '# site', other: '# sites' });
  const said = result.findings.length
    ? t`${of} and ${count(result.days)} ledger rows checked: ${count(result.findings.length)} found wrong.`
    : t`${of} and ${count(result.days)} ledger rows checked: nothing is wrong.`;
  return (
    <div role="status">
      <p>
        {said}
        {result.taken_out > 0 && ` ${putRight(result)}`}
      </p>
      {result.findings.map((each, n) => (
        <div className="note error" key={n}>
          <p>
            {each.site}: {each.text}
            {each.first && ` (${days(each.first, each.last)})`}
          </p>
          <p>{each.remedy}</p>
        </div>
      ))}
    </div>
  );
}

function putRight({ taken_out, pulls }: VerifyDone): string {
  const out = plural(taken_out, { one: '# day was taken out', other: '# days were taken out' });
  return `${out}; ${plural(pulls.length, { one: '# pull brings that back.', other: '# pulls bring that back.' })}`;
}

/** Days of a history of years: the year is always said. */
const days = (first: string, last: string | null) =>
  last && last !== first ? `${longDay(first)} – ${longDay(last)}` : longDay(first);

function BringIn({ all }: { all: readonly Client[] }) {
  const query = useQueryClient();
  const [client, setClient] = useState('');
  const [share, setShare] = useState<number>();
  const bring = useMutation({
    mutationFn: async (file: File) => {
      const sent = await upload(file, setShare);
      return send<BroughtIn>('POST', '/hand-overs', { upload: sent.id, client: client || null });
    },
    onSuccess: () => query.invalidateQueries(),
    onSettled: () => setShare(undefined),
  });
  return (
    <Section title={t`Take a hand-over in`} about={t`all of it or nothing`} label={t`Take a hand-over in`}>
      <p style={{ display: 'flex', gap: 12, alignItems: 'center', flexWrap: 'wrap' }}>
        <label className="small">
          <Trans>For</Trans>{' '}
          <select value={client} onChange={(e) => setClient(e.target.value)}>
            <option value="">
              <Trans>the client it names</Trans>
            </option>
            {all.map((each) => (
              <option key={each.key} value={each.key}>
                {each.name}
              </option>
            ))}
          </select>
        </label>
        <input
          type="file"
          aria-label={t`Hand-over file`}
          disabled={bring.isPending}
          onChange={(e) => {
            const file = e.target.files?.[0];
            e.target.value = '';
            if (file) bring.mutate(file);
          }}
        />
      </p>
      {bring.isPending && (
        <LinearProgress
          variant={share === undefined || share === 1 ? 'indeterminate' : 'determinate'}
          value={100 * (share ?? 0)}
          aria-label={t`Taking the file in`}
        />
      )}
      {bring.isError && <ErrorNote error={bring.error} />}
      {bring.data && (
        <p role="status">
          <Trans>
            {bring.data.site} came in for {bring.data.client}: {count(bring.data.days)} days
            {bring.data.first && bring.data.last ? `, ${days(bring.data.first, bring.data.last)}` : ''}.
          </Trans>{' '}
          {bring.data.locked.length
            ? plural(bring.data.locked.length, {
                one: 'Enter the secret of its source under Sources before it is pulled again.',
                other: 'Enter the secrets of its # sources under Sources before they are pulled again.',
              })
            : ''}
        </p>
      )}
    </Section>
  );
}

function Erasures() {
  const found = useQuery(erasures);
  if (!found.data?.length) return null;
  return (
    <Section
      title={t`Deleted for good`}
      about={t`how much of what, and by whom; never what it held`}
      label={t`Deleted for good`}
    >
      <div className="wrap" tabIndex={0} role="region" aria-label={t`What went, as a table`}>
        <table className="t fit">
          <thead>
            <tr>
              <th scope="col">
                <Trans>When</Trans>
              </th>
              <th scope="col">
                <Trans>By</Trans>
              </th>
              <th scope="col">
                <Trans>What</Trans>
              </th>
              <th scope="col">
                <Trans>What went</Trans>
              </th>
            </tr>
          </thead>
          <tbody>
            {found.data.map((each) => (
              <tr key={`${each.at}${each.what}`}>
                <td>{when(each.at)}</td>
                <td>{each.who}</td>
                <th scope="row">{each.what}</th>
                <td style={{ whiteSpace: 'normal' }}>{went(each.went)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Section>
  );
}

function went(what: Record<string, unknown>): string {
  return Object.entries(what)
    .filter(([, value]) => typeof value === 'number')
    .map(([name, value]) => `${count(value as number)} ${name.replaceAll('_', ' ')}`)
    .join(', ');
}
