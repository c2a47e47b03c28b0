/** What a reader sees first: the sites that are theirs, and every report that was signed off for them. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { sites } from '../mind/questions';
import { allEditions, fileOf, pageOf } from '../mind/reports';
import { count, longDay, shortDay } from '../mind/words';
import { Answer, Empty, Section } from '../skin/states';

export default function Portal() {
  const mine = useQuery(sites);
  const signed = useQuery(allEditions);
  const newest = signed.data?.[0];
  return (
    <main className="page">
      <div className="head">
        <h1>{mine.data?.[0]?.client_name ?? t`Your reports`}</h1>
        <span className="small">{newest ? t`newest report to ${longDay(newest.last)}` : ''}</span>
      </div>
      <div className="cols side">
        <Answer of={signed} height={400}>
          {(all) =>
            newest ? (
              <Section
                title={newest.title}
                about={t`${shortDay(newest.first)} to ${shortDay(newest.last)}`}
                label={t`Newest report`}
              >
                <iframe title={newest.name} sandbox="" src={pageOf(newest.id)} className="sheet" key={all.length} />
              </Section>
            ) : (
              <Empty why={t`No report has been signed off for you yet.`} />
            )
          }
        </Answer>
        <div className="stack">
          <Section title={t`Sites`} label={t`Sites`}>
            <ul className="plainlist">
              {(mine.data ?? []).map((each) => (
                <li key={each.key}>
                  <Link to={`/sites/${each.key.replaceAll('/', '~')}/overview`}>{each.host}</Link>
                </li>
              ))}
            </ul>
          </Section>
          {(signed.data?.length ?? 0) > 0 && (
            <Section title={t`Reports`} about={count(signed.data?.length ?? 0)} label={t`Reports`}>
              <ul className="plainlist">
                {signed.data?.map((each) => (
                  <li key={each.id}>
                    <Trans>
                      <b>{each.name}</b> {shortDay(each.first)} to {shortDay(each.last)}
                    </Trans>{' '}
                    <span className="small">
                      {(['pdf', 'xlsx', 'zip'] as const).map((kind) => (
                        <a key={kind} href={fileOf(each.id, kind)} download style={{ marginRight: 6 }}>
                          {kind === 'zip' ? 'CSV' : kind.toUpperCase()}
                        </a>
                      ))}
                    </span>
                    <div className="small mut">{each.title}</div>
                  </li>
                ))}
              </ul>
            </Section>
          )}
        </div>
      </div>
    </main>
  );
}
