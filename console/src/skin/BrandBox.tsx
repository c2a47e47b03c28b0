/** The words that name the client: tried on every query the site was ever shown for before they are kept. */
import { useEffect, useState } from 'react';
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { send, siteKey, type BrandTested, type BrandTry, type BrandVariant, type Site } from '../mind/api';
import { brandTried, site as siteOf } from '../mind/questions';
import { count } from '../mind/words';
import { Answer, ErrorNote, Section } from './states';

const SETTLED_MS = 250;
const SHOWN = 8;

export function BrandBox({ site }: { site: string }) {
  const about = useQuery(siteOf(site));
  return (
    <Section title="Brand" label="Brand words" about="whole words, accents and case left out">
      <Answer of={about} height={200}>
        {(data) => <Terms key={`${site} ${data.brand_terms}`} site={site} saved={data.brand_terms} />}
      </Answer>
    </Section>
  );
}

/** A text once it has stood still for a moment. */
function useSettled(text: string): string {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(text), SETTLED_MS);
    return () => window.clearTimeout(timer);
  }, [text]);
  return settled;
}

function Terms({ site, saved }: { site: string; saved: string }) {
  const cache = useQueryClient();
  const [terms, setTerms] = useState(saved);
  const [text, setText] = useState('');
  const found = useQuery({
    ...brandTried(site, useSettled(terms), useSettled(text)),
    placeholderData: keepPreviousData,
  });
  const keep = useMutation({
    mutationFn: () => send<Site>('PATCH', `/sites/${siteKey(site)}`, { brand_terms: terms }),
    onSuccess: () => cache.invalidateQueries(),
  });
  const more = (term: string) => setTerms((now) => [now.trim().replace(/,$/, ''), term].filter(Boolean).join(', '));
  return (
    <form
      className="noteform"
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate();
      }}
    >
      <label className="small">
        Words that name the client, comma between; a minus in front keeps a phrase out
        <br />
        <textarea
          rows={3}
          spellCheck={false}
          maxLength={500}
          value={terms}
          onChange={(e) => setTerms(e.target.value)}
          placeholder="skerry ferries, -skerry rock"
          style={{ width: '100%' }}
        />
      </label>
      <div aria-live="polite" className={found.isPlaceholderData ? 'stale' : undefined}>
        <Answer of={found} height={60}>
          {(data) => <Found data={data} more={more} />}
        </Answer>
      </div>
      <label className="small">
        Try a query
        <br />
        <textarea
          rows={2}
          spellCheck={false}
          maxLength={8000}
          value={text}
          onChange={(e) => setText(e.target.value)}
          placeholder="one a line"
          style={{ width: '100%' }}
        />
      </label>
      {found.data && found.data.tested.length > 0 && (
        <ul className="tested" aria-label="Tried queries">
          {found.data.tested.map((each, n) => (
            <li key={n}>
              <b>{each.brand ? 'brand' : 'generic'}</b> {each.text} <span className="small">{why(each)}</span>
            </li>
          ))}
        </ul>
      )}
      <button type="submit" className="plain" disabled={keep.isPending || terms === saved}>
        Keep these words
      </button>
      {keep.isError && <ErrorNote error={keep.error} />}
    </form>
  );
}

function Found({ data, more }: { data: BrandTry; more: (term: string) => void }) {
  return (
    <>
      <p className="small">
        <b>{count(data.matching)}</b> of {count(data.known)} queries ever shown for are brand
        {data.samples.length ? `, as ${data.samples.slice(0, 3).join(', ')}` : ''}.
      </p>
      {(data.gained > 0 || data.lost > 0) && (
        <p className="small">
          Against the words in use: {count(data.gained)} more{named(data.gained_samples)}, {count(data.lost)} fewer
          {named(data.lost_samples)}.
        </p>
      )}
      <Variants
        title="Taken for one but for a letter"
        all={data.slips}
        does="Keep out"
        act={(words) => more(`-${words}`)}
      />
      <Variants title="Close, and no brand" all={data.near} does="Take in" act={more} />
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
              {count(each.queries)} {each.queries === 1 ? 'query' : 'queries'}
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
      {all.length > SHOWN && <p className="small">and {all.length - SHOWN} more</p>}
    </>
  );
}

function why({ how, term }: BrandTested): string {
  if (how === 'written') return `holds “${term}”`;
  if (how === 'slip') return `holds “${term}” but for one letter`;
  return how === 'exception' ? `kept out by “${term}”` : 'holds none of the words';
}
