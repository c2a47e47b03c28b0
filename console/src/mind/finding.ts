/** Finding places: what is typed, and what is found for it a moment later. */
import { useDeferredValue, useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { places } from './ranks';

export function useFindingPlaces() {
  const [find, type] = useState('');
  const found = useQuery(places(useDeferredValue(find), ''));
  return { find, type, found: found.data, error: found.error, busy: found.isFetching };
}
