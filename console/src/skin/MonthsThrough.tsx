/** Whose last month was gone through, and where each client stands. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { Link } from 'react-router';
import { STEP_NAMES, useMonths } from '../mind/monthly';
import { count, longMonth, shortDay } from '../mind/words';

export function MonthsThrough() {
  const all = useMonths();
  const first = all[0];
  if (!first) return null;
  const through = all.filter((each) => each.through_at !== null).length;
  return (
    <details className="block">
      <summary>
        <Trans>
          Monthly check of {longMonth(`${first.month}-01`)}: {count(through)} of {count(all.length)} clients are through
        </Trans>
      </summary>
      <table className="t fit">
        <thead>
          <tr>
            <th scope="col">
              <Trans>Client</Trans>
            </th>
            <th scope="col" className="num">
              <Trans>Steps</Trans>
            </th>
            <th scope="col">
              <Trans>Next</Trans>
            </th>
            <th scope="col">
              <Trans>By</Trans>
            </th>
          </tr>
        </thead>
        <tbody>
          {all.map((each) => (
            <tr key={each.client}>
              <th scope="row">
                <Link to={`/sites/${each.site.replaceAll('/', '~')}/monthly?window=${each.month}`}>
                  {each.client_name}
                </Link>
              </th>
              <td className="num">
                {each.done}/{each.of}
              </td>
              <td>
                {each.next
                  ? STEP_NAMES[each.next]
                  : t`through on ${each.through_at ? shortDay(each.through_at.slice(0, 10)) : ''}`}
              </td>
              <td>{each.by.join(', ')}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
