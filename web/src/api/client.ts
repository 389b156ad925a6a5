/** The typed client: every address and shape comes from the server's own schema. */
import createClient from 'openapi-fetch';

import type { components, paths } from './schema';

export type Schemas = components['schemas'];
export type Problem = Schemas['Problem'];

export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.title);
  }
}

function cookie(name: string): string {
  return (
    document.cookie
      .split('; ')
      .find((part) => part.startsWith(`${name}=`))
      ?.slice(name.length + 1) ?? ''
  );
}

export const client = createClient<paths>({ baseUrl: '/' });

client.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', cookie('csrftoken'));
    return request;
  },
});

const OFFLINE: Problem = {
  code: 'server.away',
  title: 'The server does not answer.',
  remedy: 'Look whether Old Attic is running; this page tries again by itself.',
  field: null,
  status: 0,
};

/** The data of an answer; throws ProblemError for everything else. */
export async function told<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let got;
  try {
    got = await answer;
  } catch {
    throw new ProblemError(OFFLINE);
  }
  if (!got.response.ok) throw new ProblemError(asProblem(got.error, got.response.status));
  return got.data as T;
}

function asProblem(error: unknown, status: number): Problem {
  if (typeof error === 'object' && error !== null && 'title' in error) return error as Problem;
  return {
    code: 'server.unexpected',
    title: `The server answered with status ${status}.`,
    remedy: 'Try again in a moment.',
    field: null,
    status,
  };
}

/** The problem behind the error of a question. */
export function problemOf(error: Error): Problem {
  return error instanceof ProblemError
    ? error.problem
    : { code: 'page.unexpected', title: String(error), remedy: 'Load the page again.', field: null, status: 0 };
}
