/** Chooses whether changes are judged net of what the year does; nothing where the windows are of one time of the year. */
import { t } from '@lingui/core/macro';
import type { Timeline } from '../mind/api';
import { useFrame } from '../mind/frame';

export function SeasonSwitch({ season }: { season: Timeline['season'] | undefined }) {
  const { frame, change } = useFrame();
  const counted = frame.counted === true;
  if (frame.against === 'none' || !(counted || (season && season.basis !== 'counted'))) return null;
  return (
    <div role="group" aria-label={t`The season`} className="switch">
      {([false, true] as const).map((each) => (
        <button
          key={String(each)}
          type="button"
          className="plain"
          aria-pressed={counted === each}
          onClick={() => change({ counted: each ? 'yes' : undefined, offset: undefined })}
        >
          {each ? t`As counted` : t`Net of the season`}
        </button>
      ))}
    </div>
  );
}
