import '@fontsource-variable/cabin';
import '@fontsource-variable/spline-sans-mono';
import 'uplot/dist/uPlot.min.css';
import './styles.css';
import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { isUnknown, meQuery } from './api/me';
import { refresh } from './api/stale';
import { App } from './app';

// Whatever a page changes is asked for again before the change counts as made.
const mutationCache = new MutationCache({
  onSuccess: (_data, _variables, _result, mutation) => refresh(queries, mutation.meta?.touches ?? []),
  // What the server refused may stand otherwise than the page believed.
  onError: (error, _variables, _result, mutation) => {
    askAgain(error);
    void refresh(queries, mutation.meta?.touches ?? []);
  },
});
// Whoever is not known any more, since the login has ended, is asked to log in.
const askAgain = (error: unknown) => {
  if (isUnknown(error)) void queries.invalidateQueries({ queryKey: meQuery.queryKey });
};
const queries: QueryClient = new QueryClient({
  mutationCache,
  queryCache: new QueryCache({ onError: askAgain }),
  defaultOptions: { queries: { staleTime: 30_000, retry: 1 } },
});

const root = document.getElementById('root');
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <App />
      </QueryClientProvider>
    </StrictMode>,
  );
}
