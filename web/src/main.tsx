import '@fontsource-variable/cabin';
import '@fontsource-variable/spline-sans-mono';
import 'uplot/dist/uPlot.min.css';
import './styles.css';
import { MutationCache, QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { refresh } from './api/stale';
import { App } from './app';

// Whatever a page changes is asked for again before the change counts as made.
const mutationCache = new MutationCache({
  onSuccess: (_data, _variables, _result, mutation) => refresh(queries, mutation.meta?.touches ?? []),
  // What the server refused may stand otherwise than the page believed.
  onError: (_error, _variables, _result, mutation) => void refresh(queries, mutation.meta?.touches ?? []),
});
const queries: QueryClient = new QueryClient({
  mutationCache,
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
