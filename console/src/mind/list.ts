/** Putting a page or query on the client's list of those to look at: a saved set of that name. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { send, type SetOut } from './api';
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
      if (next.length) await send<SetOut>('POST', '/sets', { name: LISTS[item], item, client, members: next });
      else if (list) await send('DELETE', `/sets/${list.id}`);
      return `${key} is ${next.includes(key) ? 'on' : 'off'} the list ${LISTS[item]}, which has ${next.length}.`;
    },
    onSuccess: () => query.invalidateQueries({ queryKey: ['sets'] }),
  });
  return { members: new Set(members), put, name: LISTS[item], ready: known.data !== undefined };
}
