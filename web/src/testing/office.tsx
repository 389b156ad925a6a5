/** A screen's surroundings for a test: the office's zone and a fixed moment, an address, and answers that are there already. */
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { render } from '@testing-library/react';
import type { ReactNode } from 'react';
import { createMemoryRouter, RouterProvider, type RouteObject } from 'react-router';

import { OfficeTime } from '../ui/Office';

export interface Shown {
  queries: QueryClient;
  router: ReturnType<typeof createMemoryRouter>;
}

/** Draws the routes at an address; `known`: question → its answer. */
export function showRoutes(routes: RouteObject[], at = '/', known: [readonly unknown[], unknown][] = []): Shown {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } });
  for (const [question, answer] of known) queries.setQueryData(question, answer);
  const router = createMemoryRouter(routes, { initialEntries: [at] });
  render(
    <QueryClientProvider client={queries}>
      <OfficeTime zone="Europe/Berlin">
        <RouterProvider router={router} />
      </OfficeTime>
    </QueryClientProvider>,
  );
  return { queries, router };
}

export const show = (element: ReactNode, at = '/', known: [readonly unknown[], unknown][] = []): Shown =>
  showRoutes([{ path: '*', element }], at, known);
