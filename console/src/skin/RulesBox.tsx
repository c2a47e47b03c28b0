/** Which rules call out: each with its reading and condition, switched on and off; own ones added and dropped. */
import { plural, t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import { named } from '../mind/named';
import { useAddingRule, useDroppingRule, useRules, useSwitching, type RuleAsked } from '../mind/rules';
import { TextIn, useFields } from './form';
import { ErrorNote } from './states';

export function RulesBox() {
  const rules = useRules();
  if (!rules.length) return null;
  const on = rules.filter((each) => each.on).length;
  return (
    <details className="block">
      <summary>{plural(on, { one: '# rule is asked every night', other: '# rules are asked every night' })}</summary>
      <table className="t fit">
        <thead>
          <tr>
            <th scope="col">
              <Trans>Rule</Trans>
            </th>
            <th scope="col">
              <Trans>Calls out where</Trans>
            </th>
            <th scope="col">
              <Trans>On</Trans>
            </th>
            <th scope="col">
              <span className="vh">
                <Trans>Change</Trans>
              </span>
            </th>
          </tr>
        </thead>
        <tbody>
          {rules.map((each) => (
            <One key={each.name} rule={each} />
          ))}
        </tbody>
      </table>
      <Add />
    </details>
  );
}

function One({ rule }: { rule: RuleAsked }) {
  const switching = useSwitching();
  const dropping = useDroppingRule();
  const name = rule.shipped ? named(rule.name) : rule.name;
  const error = switching.error ?? dropping.error;
  return (
    <tr>
      <th scope="row">
        {name}
        <div className="small mut">{named(rule.reading)}</div>
      </th>
      <td>
        <code className="small">{rule.condition}</code>
        {rule.lasting > 1 && (
          <span className="small mut"> {plural(rule.lasting, { one: '# day long', other: '# days long' })}</span>
        )}
        {error && <ErrorNote error={error} />}
      </td>
      <td className="small">{!rule.on ? t`no site` : rule.sites.length ? rule.sites.join(', ') : t`all sites`}</td>
      <td>
        <button
          type="button"
          className="plain"
          aria-label={rule.on ? t`Switch off: ${name}` : t`Switch on: ${name}`}
          disabled={switching.isPending}
          onClick={() => switching.mutate(rule)}
        >
          {rule.on ? t`Switch off` : t`Switch on`}
        </button>
        {rule.kept && (
          <button
            type="button"
            className="plain"
            disabled={dropping.isPending}
            aria-label={rule.shipped ? t`As it ships: ${name}` : t`Take away: ${name}`}
            onClick={() => rule.kept && dropping.mutate(rule.kept.id)}
          >
            {rule.shipped ? t`As it ships` : t`Take away`}
          </button>
        )}
      </td>
    </tr>
  );
}

const NEW = { name: '', reading: '', condition: '', window: '', key: '' };

/** A rule of one's own: a reading's name, a condition on its columns, and which column a row is about. */
function Add() {
  const add = useAddingRule();
  const form = useFields(NEW, add.error);
  return (
    <form
      className="acts"
      aria-label={t`A rule of one’s own`}
      onSubmit={form.handleSubmit((asked) => add.mutate(asked, { onSuccess: () => form.reset(NEW) }))}
    >
      <TextIn form={form} name="name" size="small" label={t`Rule`} required />
      <TextIn form={form} name="reading" size="small" label={t`Reading`} required />
      <TextIn form={form} name="condition" size="small" label={t`Calls out where`} required />
      <TextIn form={form} name="key" size="small" label={t`Column it is about`} />
      <TextIn form={form} name="window" size="small" label={t`Window`} placeholder="P28D" />
      <Button type="submit" disabled={add.isPending}>
        <Trans>Keep</Trans>
      </Button>
      {add.isError && <ErrorNote error={add.error} />}
    </form>
  );
}
