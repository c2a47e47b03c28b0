/** A site's engines side by side, in the same window. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
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
    <Section
      title={t`Engines`}
      about={t`side by side; together they make the figures of every view`}
      label={t`Engines`}
    >
      <div className="wrap">
        <table className="t">
          <thead>
            <tr>
              <th scope="col">
                <Trans>Engine</Trans>
              </th>
              <Th how="timeline.clicks">
                <Trans>clicks</Trans>
              </Th>
              <Th how="timeline.clicks_before">
                <Trans>before</Trans>
              </Th>
              <Th how="timeline.clicks_change">
                <Trans>change</Trans>
              </Th>
              <Th how="timeline.impressions">
                <Trans>impressions</Trans>
              </Th>
              <Th how="timeline.ctr">
                <Trans>click-through</Trans>
              </Th>
              <Th how="timeline.position">
                <Trans context="among the results">place</Trans>
              </Th>
              <th scope="col">
                <Trans>by day</Trans>
              </th>
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
                        label={t`Clicks by day from ${engine}`}
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
