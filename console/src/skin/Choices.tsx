/** What a reading is asked besides its days: choices of few as lists, free words as a field. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import type { ParameterAbout } from '../mind/api';
import { keyOf, type Asking } from '../mind/choosing';
import { named } from '../mind/named';

interface Props {
  asking: Asking;
  chosen: Readonly<Record<string, string>>;
  change: (changes: Record<string, string | undefined>) => void;
}

export function Choices({ asking, chosen, change }: Props) {
  return (
    <>
      {asking.words.map((each) => (
        <WordIn
          key={`${each.name} ${chosen[each.name] ?? ''}`}
          parameter={each}
          value={chosen[each.name] ?? ''}
          take={(text) => change({ [keyOf(each)]: text || undefined, offset: undefined })}
        />
      ))}
      {asking.choices.map((each) => (
        <label key={each.name} className="small">
          {named(each.name)}{' '}
          <select
            aria-label={named(each.name)}
            value={chosen[each.name] ?? ''}
            onChange={(e) => change({ [keyOf(each)]: e.target.value || undefined, offset: undefined })}
          >
            {each.default === null && <option value="">{t`any`}</option>}
            {each.choices.map((choice) => (
              <option key={choice} value={choice}>
                {named(choice)}
              </option>
            ))}
          </select>
        </label>
      ))}
    </>
  );
}

function WordIn({
  parameter,
  value,
  take,
}: {
  parameter: ParameterAbout;
  value: string;
  take: (text: string) => void;
}) {
  const [text, setText] = useState(value);
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        take(text.trim());
      }}
    >
      <TextField
        label={named(parameter.name)}
        value={text}
        size="small"
        required={parameter.required}
        onChange={(e) => setText(e.target.value)}
        slotProps={{ htmlInput: { maxLength: 200 } }}
      />
      <Button type="submit">
        <Trans>Look</Trans>
      </Button>
    </form>
  );
}
