/** The profile of a week: clicks a day by day of the week, now and before. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useFrame } from '../mind/frame';
import { useWeekdays } from '../mind/asked';
import { count, percent, place, weekdayOf } from '../mind/words';
import { useTaken } from '../mind/taken';
import { Said } from './Said';
import { Answer, Section } from './states';
import { Th } from './How';

export function WeekProfile() {
  const { site, frame } = useFrame();
  const found = useWeekdays(site, frame);
  useTaken(t`Days of the week`, 'weekdays', found.data);
  return (
    <Section
      title={t`Days of the week`}
      about={t`clicks a day`}
      stale={found.isPlaceholderData}
      label={t`Days of the week`}
    >
      <Answer of={found} height={220}>
        {(data) => {
          const most = Math.max(1, ...data.rows.map((row) => row.clicks_a_day ?? 0));
          return (
            <>
              <Said sentences={data.sentences} className="small" />
              <div className="wrap" tabIndex={0} role="region" aria-label={t`A week as a table`}>
                <table className="t">
                  <thead>
                    <tr>
                      <th scope="col">
                        <Trans>Day</Trans>
                      </th>
                      <th scope="col">
                        <span className="vh">
                          <Trans>As a bar</Trans>
                        </span>
                      </th>
                      <Th how="weekdays.clicks_a_day">
                        <Trans>clicks a day</Trans>
                      </Th>
                      <Th how="weekdays.clicks_a_day_before">
                        <Trans>before</Trans>
                      </Th>
                      <Th how="weekdays.share">
                        <Trans>of the mean</Trans>
                      </Th>
                      <Th how="weekdays.impressions_a_day">
                        <Trans>shown a day</Trans>
                      </Th>
                      <Th how="weekdays.ctr">
                        <Trans>click-through</Trans>
                      </Th>
                      <Th how="weekdays.position">
                        <Trans context="among the results">place</Trans>
                      </Th>
                      <Th how="weekdays.days">
                        <Trans>held days</Trans>
                      </Th>
                    </tr>
                  </thead>
                  <tbody>
                    {data.rows.map((row) => (
                      <tr key={row.weekday}>
                        <th scope="row">{weekdayOf(row.weekday)}</th>
                        <td style={{ width: 160 }} aria-hidden="true">
                          <span
                            style={{
                              display: 'block',
                              height: 9,
                              background: 'var(--bar)',
                              width: `${(100 * (row.clicks_a_day ?? 0)) / most}%`,
                            }}
                          />
                        </td>
                        <td className="num now">{count(row.clicks_a_day)}</td>
                        <td className="num was">{count(row.clicks_a_day_before)}</td>
                        <td className="num">{percent(row.share, 0)}</td>
                        <td className="num">{count(row.impressions_a_day)}</td>
                        <td className="num">{percent(row.now.ctr, 2)}</td>
                        <td className="num">{place(row.now.position)}</td>
                        <td className="num">{count(row.days)}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
            </>
          );
        }}
      </Answer>
    </Section>
  );
}
