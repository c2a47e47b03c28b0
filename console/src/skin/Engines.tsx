/** A site's engines side by side, in the same window. */
import { Link } from 'react-router';
import { carried, useFrame } from '../mind/frame';
import { useEngines } from '../mind/asked';
import { count, percent, place } from '../mind/words';
import { ClicksChange, Spark } from './small';
import { Section } from './states';
import { Th } from './How';

export function Engines() {
  const { site, search, frame } = useFrame();
  const engines = useEngines(site, frame);
  if (engines.length < 2 || frame.where.engine) return null;
  return (
    <Section title="Engines" about="side by side; together they make the figures of every view" label="Engines">
      <div className="wrap">
        <table className="t">
          <thead>
            <tr>
              <th scope="col">Engine</th>
              <Th how="timeline.clicks">clicks</Th>
              <Th how="timeline.clicks_before">before</Th>
              <Th how="timeline.clicks_change">change</Th>
              <Th how="timeline.impressions">impressions</Th>
              <Th how="timeline.ctr">click-through</Th>
              <Th how="timeline.position">place</Th>
              <th scope="col">by day</th>
            </tr>
          </thead>
          <tbody>
            {engines.map(({ engine, line: data }) => {
              return (
                <tr key={engine}>
                  <th scope="row">
                    <Link to={`/sites/${site}/overview${carried(search, { engine })}`}>{engine}</Link>
                  </th>
                  <td className="num now">{count(data?.now.clicks)}</td>
                  <td className="num was">{count(data?.before?.clicks)}</td>
                  <td className="num">
                    <ClicksChange change={data?.change ?? null} />
                  </td>
                  <td className="num">{count(data?.now.impressions)}</td>
                  <td className="num">{percent(data?.now.ctr, 2)}</td>
                  <td className="num">{place(data?.now.position)}</td>
                  <td>
                    {data && (
                      <Spark
                        values={data.points.map((p) => p.clicks)}
                        width={110}
                        height={24}
                        label={`Clicks by day from ${engine}`}
                      />
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </Section>
  );
}
