/** The digest: how one is mailed what calls out. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import * as api from './api';

export const useDigest = () =>
  useQuery({ queryKey: ['digest'], queryFn: () => api.ask<api.DigestOut>('/me/digest'), retry: false });

export function useChoosingDigest() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (asked: api.DigestChange) => api.send<api.DigestOut>('PUT', '/me/digest', asked),
    onSuccess: () => cache.invalidateQueries({ queryKey: ['digest'] }),
  });
}
