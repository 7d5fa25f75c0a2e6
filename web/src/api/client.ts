import createClient from 'openapi-fetch';
import type { components, paths } from './schema.gen';

export type Schemas = components['schemas'];
export type Rig = Schemas['Rig'];
export type Trim = Schemas['Trim'];
export type Setting = Schemas['Setting'];
export type Settings = Schemas['Settings'];
export type Value = Schemas['Value'];
export type Trial = Schemas['Trial'];
export type Leg = Schemas['Leg'];
export type Fitting = Schemas['Fitting'];
export type Check = Schemas['Check'];
export type Drawings = Schemas['Drawings'];
export type Fault = Schemas['Fault'];

export const api = createClient<paths>({ querySerializer: { array: { style: 'form', explode: false } } });

/** What makes a thing at each asking, by the end of its path. */
const makes = /\/(rigs|trims|copy|fittings|trials|sessions|scores|incidents|watches|accounts|sweep|batches)$/;

/** For how long the same words count as the same request, in ms: a double click is one. */
const onceWithinMs = 2000;

const asked = new Map<string, { key: string; at: number }>();

api.use({
  async onRequest({ request }) {
    if (request.method !== 'POST' || !makes.test(new URL(request.url).pathname)) return;
    const words = `${request.url} ${await request.clone().text()}`;
    const before = asked.get(words);
    const now = performance.now();
    const one = before && now - before.at < onceWithinMs ? before : { key: crypto.randomUUID(), at: now };
    asked.clear(); // only the newest can be the first click of two
    asked.set(words, one);
    request.headers.set('Idempotency-Key', one.key);
  },
});

/** An answer of the server that says what is wrong, field by field. */
export class Refusal extends Error {
  readonly status: number;
  readonly faults: Fault[];
  constructor(problem: Schemas['Problem']) {
    super(problem.title);
    this.status = problem.status;
    this.faults = problem.faults;
  }
}

/** Returns the data of an answer, or throws what the server said against it. */
export async function take<T>(call: Promise<{ data?: T; error?: unknown }>): Promise<T> {
  const { data, error } = await call;
  if (error !== undefined) throw new Refusal(error as Schemas['Problem']);
  return data as T;
}

/** Sends a table in CSV, of any size, and returns the answer, or throws what the server said against it. */
export const sendTable = <T>(path: string, table: Blob): Promise<T> => send(path, 'text/csv', table);

/** Sends an archive of another server, whose only rig may get another name. */
export const sendArchive = (archive: Blob, as: string): Promise<Schemas['TakenRig'][]> =>
  send(`/api/archive${as && `?as=${encodeURIComponent(as)}`}`, 'application/zip', archive);

async function send<T>(path: string, kind: string, body: Blob): Promise<T> {
  const answer = await fetch(path, { method: 'POST', headers: { 'Content-Type': kind }, body });
  if (!answer.ok) throw new Refusal((await answer.json()) as Schemas['Problem']);
  return (await answer.json()) as T;
}
