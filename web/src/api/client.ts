import createClient, { type Middleware } from "openapi-fetch";

import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

export interface FieldProblem {
  field: string;
  message: string;
}

/** An answer of type application/problem+json, or a lost connection. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly problems: FieldProblem[] = [],
    readonly current = 0,
  ) {
    super(message);
  }
}

export function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? "";
}

interface ProblemBody {
  title?: string;
  detail?: string;
  problems?: FieldProblem[];
  current?: number;
}

/** The problem that a failed response describes. */
export async function problemOf(response: Response): Promise<Problem> {
  let body: ProblemBody = {};
  try {
    body = (await response.json()) as ProblemBody;
  } catch {
    // Not JSON: a proxy's or a crash page; the status alone has to do.
  }
  const detail = body.detail ?? `The server answered ${response.status}. Nothing was lost; try once more.`;
  return new Problem(response.status, body.title ?? "error", detail, body.problems ?? [], body.current ?? 0);
}

const guard: Middleware = {
  onRequest({ request }) {
    request.headers.set("X-CSRFToken", csrfToken());
    return request;
  },
  async onResponse({ response }) {
    if (!response.ok) throw await problemOf(response);
  },
  onError() {
    return new Problem(
      0,
      "offline",
      "The server cannot be reached. Your work here is kept; it is saved when it answers.",
    );
  },
};

export const api = createClient<paths>({ baseUrl: "" });
api.use(guard);

/**
 * What a job of a shot gives: begun by one request and looked for by more, until it is done. One that the server does not
 * know any more, since it was started again, is begun anew. Null, and the job is given up, once it is not wanted any more.
 */
export async function finished<T>(
  shot: number,
  begin: () => Promise<{ data?: T | Schemas["JobOut"]; response: Response }>,
  wanted: () => boolean,
  under: (waits: boolean) => void = () => {},
): Promise<T | null> {
  let { data, response } = await begin();
  while (response.status === 202) {
    const { job, waits } = data as Schemas["JobOut"];
    const params = { path: { shot_id: shot, job } };
    if (!wanted()) {
      void api.DELETE("/api/shots/{shot_id}/jobs/{job}", { params }).catch(() => {});
      return null;
    }
    under(waits);
    try {
      ({ data, response } = (await api.GET("/api/shots/{shot_id}/jobs/{job}", { params })) as {
        data?: T;
        response: Response;
      });
    } catch (error) {
      if (!(error instanceof Problem) || ![0, 404].includes(error.status)) throw error;
      if (error.status === 404) ({ data, response } = await begin());
      // Nobody is there just now: the job's name is asked for until somebody is.
      else await new Promise((done) => setTimeout(done, 1000));
    }
  }
  return wanted() ? (data as T) : null;
}

/** The data of an answer that can only have succeeded (failures throw). */
export async function answer<T>(call: Promise<{ data?: T }>): Promise<T> {
  return (await call).data as T;
}
