/** The profile of a week: clicks a day by day of the week, now and before. */
import { useQuery } from '@tanstack/react-query';
import { useFrame } from '../mind/frame';
import { weekdays } from '../mind/questions';
import { count, percent, place } from '../mind/words';
import { Said } from './Said';
import { Answer, Section } from './states';
import { Th } from './How';

const MONDAY = Date.UTC(2024, 0, 1);
const name = (weekday: number) => new Intl.DateTimeFormat(navigator.language, { weekday: 'long', timeZone: 'UTC' }).format(new Date(MONDAY + weekday * 86_400_000));

export function WeekProfile() {
  const { site, frame } = useFrame();
  const found = useQuery(weekdays(site, frame));
  return (
    <Section title="Days of the week" about="clicks a day" stale={found.isPlaceholderData} label="Days of the week">
      <Answer of={found} height={220}>
        {(data) => {
          const most = Math.max(1, ...data.rows.map((row) => row.clicks_a_day ?? 0));
          return (
            <>
              <Said sentences={data.sentences} className="small" />
              <div className="wrap" tabIndex={0} role="region" aria-label="A week as a table">
                <table className="t">
                  <thead><tr><th scope="col">Day</th><th scope="col"><span className="vh">As a bar</span></th><Th how="clicks_a_day">clicks a day</Th><Th how="before">before</Th><Th how="of_mean">of the mean</Th><Th how="impressions_a_day">shown a day</Th><Th how="ctr">click-through</Th><Th how="position">place</Th><Th how="days_held">held days</Th></tr></thead>
                  <tbody>
                    {data.rows.map((row) => (
                      <tr key={row.weekday}>
                        <th scope="row">{name(row.weekday)}</th>
                        <td style={{ width: 160 }} aria-hidden="true"><span style={{ display: 'block', height: 9, background: 'var(--bar)', width: `${(100 * (row.clicks_a_day ?? 0)) / most}%` }} /></td>
                        <td className="num now">{count(row.clicks_a_day)}</td><td className="num was">{count(row.clicks_a_day_before)}</td><td className="num">{percent(row.share, 0)}</td>
                        <td className="num">{count(row.impressions_a_day)}</td><td className="num">{percent(row.now.ctr, 2)}</td><td className="num">{place(row.now.position)}</td><td className="num">{count(row.days)}</td>
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
