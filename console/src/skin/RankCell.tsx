/** A rank on the ground of its band; a hatched one was looked up and not found, an empty one was not looked up. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { bandOf, rankText } from '../mind/ranks';

export function RankCell({ rank }: { rank: number | null | undefined }) {
  const band = bandOf(rank);
  return (
    <span className={`x b${band}`}>
      {band === 0 ? (
        <span className="vh">
          <Trans>no check</Trans>
        </span>
      ) : (
        rankText(rank)
      )}
    </span>
  );
}

export function RankChip({ rank }: { rank: number | null | undefined }) {
  return <span className={`bchip b${bandOf(rank ?? 0)}`}>{rankText(rank ?? 0)}</span>;
}

/** The bands with their names. */
export function BandKey() {
  return (
    <span className="bandkey" aria-label={t`Bands of ranks`}>
      {['1', '2–3', '4–10', '11–20', '21–50', '51–100'].map((name, n) => (
        <span key={name} className={`bchip b${n + 1}`}>
          {name}
        </span>
      ))}
      <span className="bchip b7">
        <Trans>n/f</Trans>
      </span>
      <span className="small">
        <Trans>not found</Trans>
      </span>
      <span className="bchip b0">&nbsp;</span>
      <span className="small">
        <Trans>no check</Trans>
      </span>
    </span>
  );
}

export function Weight({ of }: { of: number }) {
  return (
    <span className="weight" role="img" aria-label={t`weight ${of} of 5`}>
      {'●'.repeat(of)}
      {'○'.repeat(5 - of)}
    </span>
  );
}
