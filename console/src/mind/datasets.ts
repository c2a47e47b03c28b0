/** What datasets there are, what they count and how it adds up: told by the service, in the language of readings. */
import { t } from '@lingui/core/macro';
import { queryOptions, useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import * as api from './api';
import { spoken } from './language';
import { countryName } from './words';

export type Dataset = api.DatasetAbout;
export type Measure = api.MeasureAbout;

export const datasets = () =>
  queryOptions({
    queryKey: ['datasets', spoken()],
    queryFn: () => api.ask<Dataset[]>('/datasets', { language: spoken() === 'en' ? undefined : spoken() }),
    staleTime: Infinity,
  });

export function useDatasets(): readonly Dataset[] {
  return useQuery(datasets()).data ?? [];
}

/** Says what a value of a dimension is called: countries by their names, what is known by its word, all else as it is. */
export function useCalled(): (dimension: string, value: string) => string {
  const all = useDatasets();
  const known = useMemo(() => {
    const dimensions = all.flatMap((dataset) => dataset.dimensions);
    return new Map(
      dimensions.flatMap((of) =>
        Object.entries(of.values ?? {}).map(([value, word]) => [`${of.name}\n${value}`, word]),
      ),
    );
  }, [all]);
  return (dimension, value) =>
    dimension === 'country' && value.length === 2
      ? `${countryName(value)} (${value})`
      : (known.get(`${dimension}\n${value}`) ?? value);
}

/** Those that sources of these kinds count, in the order in which they are listed. */
export function ofKinds(all: readonly Dataset[], kinds: ReadonlyArray<string | undefined>): readonly Dataset[] {
  return all.filter((each) => kinds.includes(each.kind));
}

/** What a dataset is called, also one of whole weeks or months; the name where none is known by it. */
export function titleOf(all: readonly Dataset[], name: string): string {
  const [, span, of = ''] = /^(week|month)-(.*)$/.exec(name) ?? [];
  const title = all.find((each) => each.name === (of || name))?.title ?? name;
  if (!span) return title;
  return span === 'week' ? t`${title} of whole weeks` : t`${title} of whole months`;
}

/** The figures of some datasets whose sums over any rows are told, each once, in their order. */
export function added(all: readonly Dataset[], names: readonly string[]): readonly Measure[] {
  return told(all, names, 'sum');
}

/** Those that are averages. */
export function averaged(all: readonly Dataset[], names: readonly string[]): readonly Measure[] {
  return told(all, names, 'weighted');
}

/** What a dimension or figure of any dataset is called; the name where none has it. */
export function wordOf(all: readonly Dataset[], name: string): string {
  const every = all.flatMap((each) => [...each.dimensions, ...each.measures]);
  return every.find((each) => each.name === name)?.title ?? name;
}

/** A figure's title as the head of a column. */
export const heading = (measure: Measure): string => upper(measure.title);

export const upper = (text: string): string => `${text.charAt(0).toUpperCase()}${text.slice(1)}`;

/** A day's figure by its name; none where it was not counted. */
export function figure(of: { figures?: Readonly<Record<string, number>> }, name: string): number | undefined {
  return of.figures?.[name];
}

function told(all: readonly Dataset[], names: readonly string[], merge: Measure['merge']): readonly Measure[] {
  const found = new Map<string, Measure>();
  for (const name of names)
    for (const measure of all.find((each) => each.name === name.replace(/^(week|month)-/, ''))?.measures ?? [])
      if (measure.merge === merge && !found.has(measure.name)) found.set(measure.name, measure);
  return [...found.values()];
}
