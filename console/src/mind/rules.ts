/** Rules of alerts: those that ship, those that somebody keeps in their place, and own ones. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import * as api from './api';

export interface RuleAsked {
  name: string;
  reading: string;
  condition: string;
  on: boolean;
  sites: readonly string[];
  lasting: number;
  kept: api.AlertRuleOut | undefined;
  shipped: boolean;
}

/** All rules as they are asked now, shipped ones first. */
export function useRules(): readonly RuleAsked[] {
  const shipped = useQuery({
    queryKey: ['alert-rules', 'shipped'],
    queryFn: () => api.ask<api.AlertRule[]>('/alert-rules/shipped'),
    retry: false,
  });
  const kept = useQuery({
    queryKey: ['alert-rules'],
    queryFn: () => api.ask<api.AlertRuleOut[]>('/alert-rules'),
    retry: false,
  });
  return asked(shipped.data ?? [], kept.data ?? []);
}

export function asked(shipped: readonly api.AlertRule[], kept: readonly api.AlertRuleOut[]): RuleAsked[] {
  const known = new Map(kept.map((each) => [each.name, each]));
  const ours = shipped.map((rule) => {
    const change = known.get(rule.name);
    return {
      name: rule.name,
      reading: rule.reading,
      condition: change?.condition || rule.condition,
      on: change?.on ?? true,
      sites: change?.sites ?? [],
      lasting: change?.lasting ?? 1,
      kept: change,
      shipped: true,
    };
  });
  const own = kept.filter((each) => !each.shipped).map((each) => ({ ...each, kept: each }));
  return [...ours, ...own];
}

/** Switches a rule on or off; what else was changed of it stays. */
export function useSwitching() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (rule: RuleAsked) =>
      rule.kept
        ? api.change<api.AlertRuleOut>(`/alert-rules/${rule.kept.id}`, rule.kept, { on: !rule.on })
        : api.send<api.AlertRuleOut>('POST', '/alert-rules', { name: rule.name, on: !rule.on }),
    onSuccess: () => cache.invalidateQueries({ queryKey: ['alert-rules'] }),
  });
}

/** Keeps a rule of one's own. */
export function useAddingRule() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (rule: Partial<api.NewAlertRule> & { name: string }) =>
      api.send<api.AlertRuleOut>('POST', '/alert-rules', rule),
    onSuccess: () => cache.invalidateQueries({ queryKey: ['alert-rules'] }),
  });
}

/** Deletes a rule; a shipped one is then asked as it ships. */
export function useDroppingRule() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (number: number) => api.send('DELETE', `/alert-rules/${number}`),
    onSuccess: () => cache.invalidateQueries({ queryKey: ['alert-rules'] }),
  });
}
