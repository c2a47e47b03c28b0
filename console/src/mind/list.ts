/** Putting a page or query on the client's list of those to look at: a saved set of that name. */
import { t } from '@lingui/core/macro';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { change, send, type SetOut } from './api';
import { useFrame } from './frame';
import { sets, site as siteOf } from './questions';

export const LISTS = { page: 'Pages to look at', query: 'Queries to look at' } as const;

export function useList(item: 'page' | 'query') {
  const { site } = useFrame();
  const query = useQueryClient();
  const about = useQuery(siteOf(site));
  const client = about.data?.client;
  const known = useQuery({ ...sets(client), enabled: client !== undefined });
  const list = known.data?.find((each) => each.name === LISTS[item] && each.client === client);
  const members = list?.members ?? [];
  const put = useMutation({
    mutationFn: async (key: string) => {
      const next = members.includes(key) ? members.filter((each) => each !== key) : [...members, key];
      if (!list) await send<SetOut>('POST', '/sets', { name: LISTS[item], item, client, members: next });
      else if (next.length) await change<SetOut>(`/sets/${list.id}`, list, { members: next });
      else await send('DELETE', `/sets/${list.id}`);
      const name = LISTS[item];
      return next.includes(key)
        ? t`${key} is on the list ${name}, which has ${next.length}.`
        : t`${key} is off the list ${name}, which has ${next.length}.`;
    },
    onSettled: () => query.invalidateQueries({ queryKey: ['sets'] }),
  });
  return { members: new Set(members), put, name: LISTS[item], ready: known.data !== undefined };
}
