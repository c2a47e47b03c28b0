/** What a session is worth, where no goals are counted: given by hand, and said to be an estimate wherever it is used. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import type { Outcomes } from '../mind/api';
import { useKeepingWorth } from '../mind/doing';
import { TextIn, useFields } from './form';
import { ErrorNote } from './states';

export function WorthBox({ site, answer }: { site: string; answer: Outcomes }) {
  const keep = useKeepingWorth(site);
  const saved = answer.session_value === null ? '' : String(answer.session_value);
  const form = useFields({ session_value: saved }, keep.error);
  if (answer.total.conversions !== null) return null;
  return (
    <form className="acts" onSubmit={form.handleSubmit((asked) => keep.mutate(Number(asked.session_value || 0)))}>
      <TextIn
        form={form}
        name="session_value"
        type="number"
        size="small"
        label={t`Value of a session`}
        helperText={t`In the client’s currency, until goals are counted; empty for none.`}
        slotProps={{ htmlInput: { min: 0, step: 0.01, max: 1_000_000 } }}
      />
      <Button type="submit" disabled={keep.isPending}>
        <Trans>Keep</Trans>
      </Button>
      {keep.isError && <ErrorNote error={keep.error} />}
    </form>
  );
}
