/** The words that name the client: tried on every query the site was ever shown for before they are kept. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { BrandTested, BrandTry, BrandVariant } from '../mind/api';
import { useBrandTried, useSite } from '../mind/asked';
import { useKeepingBrand } from '../mind/doing';
import { count } from '../mind/words';
import { TextIn, useFields } from './form';
import { Answer, ErrorNote, Section } from './states';

const SHOWN = 8;

export function BrandBox({ site }: { site: string }) {
  const about = useSite(site);
  return (
    <Section title={t`Brand`} label={t`Brand words`} about={t`whole words, accents and case left out`}>
      <Answer of={about} height={200}>
        {(data) => <Terms key={`${site} ${data.brand_terms}`} site={site} saved={data.brand_terms} />}
      </Answer>
    </Section>
  );
}

function Terms({ site, saved }: { site: string; saved: string }) {
  const keep = useKeepingBrand(site);
  const form = useFields({ brand_terms: saved }, keep.error);
  const terms = form.watch('brand_terms');
  const [text, setText] = useState('');
  const found = useBrandTried(site, terms, text);
  const more = (term: string) =>
    form.setValue('brand_terms', [terms.trim().replace(/,$/, ''), term].filter(Boolean).join(', '));
  return (
    <form className="noteform" onSubmit={form.handleSubmit((asked) => keep.mutate(asked.brand_terms))}>
      <TextIn
        form={form}
        name="brand_terms"
        label={t`Words that name the client`}
        helperText={t`Comma between; a minus in front keeps a phrase out.`}
        placeholder={t`skerry ferries, -skerry rock`}
        multiline
        minRows={2}
        slotProps={{ htmlInput: { spellCheck: false, maxLength: 500 } }}
      />
      <div aria-live="polite" className={found.isPlaceholderData ? 'stale' : undefined}>
        <Answer of={found} height={60}>
          {(data) => <Found data={data} more={more} />}
        </Answer>
      </div>
      <TextField
        label={t`Try a query`}
        placeholder={t`one a line`}
        multiline
        minRows={2}
        value={text}
        onChange={(e) => setText(e.target.value)}
        slotProps={{ htmlInput: { spellCheck: false, maxLength: 8000 } }}
      />
      {found.data && found.data.tested.length > 0 && (
        <ul className="tested" aria-label={t`Tried queries`}>
          {found.data.tested.map((each, n) => (
            <li key={n}>
              <b>{each.brand ? t`brand` : t`generic`}</b> {each.text} <span className="small">{why(each)}</span>
            </li>
          ))}
        </ul>
      )}
      <button type="submit" className="plain" disabled={keep.isPending || terms === saved}>
        <Trans>Keep these words</Trans>
      </button>
      {keep.isError && <ErrorNote error={keep.error} />}
    </form>
  );
}

function Found({ data, more }: { data: BrandTry; more: (term: string) => void }) {
  return (
    <>
      <p className="small">
        <Trans>
          <b>{count(data.matching)}</b> of {count(data.known)} queries ever shown for are brand
        </Trans>
        {data.samples.length ? t`, as ${data.samples.slice(0, 3).join(', ')}` : ''}.
      </p>
      {(data.gained > 0 || data.lost > 0) && (
        <p className="small">
          <Trans>
            Against the words in use: {count(data.gained)} more{named(data.gained_samples)}, {count(data.lost)} fewer
            {named(data.lost_samples)}.
          </Trans>
        </p>
      )}
      <Variants
        title={t`Taken for one but for a letter`}
        all={data.slips}
        does={t`Keep out`}
        act={(words) => more(`-${words}`)}
      />
      <Variants title={t`Close, and no brand`} all={data.near} does={t`Take in`} act={more} />
    </>
  );
}

const named = (samples: readonly string[]) =>
  samples.length ? ` (${samples.slice(0, 3).join(', ')}${samples.length > 3 ? ' …' : ''})` : '';

function Variants({
  title,
  all,
  does,
  act,
}: {
  title: string;
  all: readonly BrandVariant[];
  does: string;
  act: (words: string) => void;
}) {
  if (all.length === 0) return null;
  return (
    <>
      <h3 className="small">{title}</h3>
      <ul className="variants" aria-label={title}>
        {all.slice(0, SHOWN).map((each) => (
          <li key={each.words} title={each.sample}>
            <span>{each.words}</span>
            <span className="small">
              {count(each.queries)} {each.queries === 1 ? t`query` : t`queries`}
            </span>
            <button
              type="button"
              className="plain"
              aria-label={`${does}: ${each.words}`}
              onClick={() => act(each.words)}
            >
              {does}
            </button>
          </li>
        ))}
      </ul>
      {all.length > SHOWN && (
        <p className="small">
          <Trans>and {all.length - SHOWN} more</Trans>
        </p>
      )}
    </>
  );
}

function why({ how, term: said }: BrandTested): string {
  const term = said ?? '';
  if (how === 'written') return t`holds “${term}”`;
  if (how === 'slip') return t`holds “${term}” but for one letter`;
  return how === 'exception' ? t`kept out by “${term}”` : t`holds none of the words`;
}
