import { queryOptions, useQuery } from '@tanstack/react-query';
import { api, Refusal, type Schemas, take } from './client';

/** How often a server that does not answer is asked again, in ms. */
const askAgainMs = 2000;

export const meQuery = queryOptions({
  queryKey: ['me'],
  staleTime: Number.POSITIVE_INFINITY,
  refetchInterval: (query) => (query.state.status === 'error' ? askAgainMs : false),
  queryFn: () => take(api.GET('/api/me')),
});

/** Who is logged in; nothing until that is known. */
export const useMe = (): Schemas['Me'] | undefined => useQuery(meQuery).data;

/** Whether who is logged in may change anything. */
export const useMayChange = () => useMe()?.role !== 'guest';

/** Whether who is logged in keeps accounts, tokens and records. */
export const useOwns = () => useMe()?.role === 'owner';

/** Whether the server does not know any more who asks. */
export const isUnknown = (error: unknown) => error instanceof Refusal && error.status === 401;

export const accountsQuery = queryOptions({ queryKey: ['accounts'], queryFn: () => take(api.GET('/api/accounts')) });
