/** Calls of the JSON API, with the types that the server describes. */
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Look = Schemas["Look"];
export type Path = Schemas["Path"];
export type Step = Schemas["Step"];
export type Zone = Schemas["Zone"];
export type KindInfo = Schemas["KindInfo"];
export type Field = Schemas["Field"];
export type EncodingInfo = Schemas["EncodingInfo"];
export type Production = Schemas["ProductionDetail"];
export type Scene = Schemas["SceneDetail"];
export type Shot = Schemas["ShotDetail"];
export type ProductionLine = Schemas["ProductionLine"];
export type LookLine = Schemas["LookLine"];
export type LookDetail = Schemas["LookDetail"];
export type VersionLine = Schemas["VersionLine"];
export type VersionDetail = Schemas["VersionDetail"];
export type Handoff = Schemas["HandoffDetail"];
export type Fidelity = Schemas["Fidelity"];
export type Comparison = Schemas["Comparison"];
export type Fingerprint = Schemas["Fingerprint"];
export type Reading = Schemas["Reading"];
export type Dropped = Schemas["Dropped"];

/** A refusal, in words for people. `status` 0: the server does not answer. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    detail: string,
    readonly revision?: number,
  ) {
    super(detail);
  }
}

async function call<T>(method: string, url: string, body?: unknown): Promise<T> {
  let response: Response;
  try {
    response = await fetch(url, {
      method,
      headers: body === undefined ? {} : { "content-type": "application/json" },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch {
    throw new Problem(0, "The server does not answer.");
  }
  if (!response.ok) {
    const problem = (await response.json().catch(() => null)) as Schemas["Problem"] | null;
    throw new Problem(response.status, problem?.detail ?? response.statusText, problem?.revision);
  }
  return (response.status === 204 ? undefined : await response.json()) as T;
}

export const api = {
  catalogue: () => call<KindInfo[]>("GET", "/api/catalogue"),
  encodings: () => call<EncodingInfo[]>("GET", "/api/encodings"),
  productions: () => call<ProductionLine[]>("GET", "/api/productions"),
  production: (id: string) => call<Production>("GET", `/api/productions/${id}`),
  createScene: (production: string, name: string) =>
    call<Scene>("POST", `/api/productions/${production}/scenes`, { name }),
  renameScene: (id: string, name: string) => call<undefined>("PUT", `/api/scenes/${id}`, { name }),
  deleteScene: (id: string) => call<undefined>("DELETE", `/api/scenes/${id}`),
  editShot: (id: string, change: { name?: string; encoding?: string; scene?: string }) =>
    call<Shot>("PATCH", `/api/shots/${id}`, change),
  deleteShot: (id: string) => call<undefined>("DELETE", `/api/shots/${id}`),
  looks: (production: string) => call<LookLine[]>("GET", `/api/productions/${production}/looks`),
  createLook: (production: string, name: string, document?: Look) =>
    call<LookDetail>("POST", `/api/productions/${production}/looks`, { name, document: document ?? null }),
  look: (id: string) => call<LookDetail>("GET", `/api/looks/${id}`),
  saveLook: (id: string, revision: number, document: Look) =>
    call<LookDetail>("PUT", `/api/looks/${id}`, { revision, document }),
  deleteLook: (id: string) => call<undefined>("DELETE", `/api/looks/${id}`),
  versions: (id: string) => call<VersionLine[]>("GET", `/api/looks/${id}/versions`),
  version: (id: string, number: number) => call<VersionDetail>("GET", `/api/looks/${id}/versions/${number}`),
  keepVersion: (id: string, name: string) => call<VersionLine>("POST", `/api/looks/${id}/versions`, { name }),
  handoffs: (id: string) => call<Handoff[]>("GET", `/api/looks/${id}/handoffs`),
  createHandoff: (id: string, ask: { version: number; from: string; to: string; size: number }) =>
    call<Handoff>("POST", `/api/looks/${id}/handoffs`, ask),
  cancelHandoff: (id: string) => call<Handoff>("POST", `/api/handoffs/${id}/cancel`),
  dropper: (ask: { shot: string; path: Path; step: string; at: [number, number] }) =>
    call<Dropped>("POST", "/api/dropper", ask),
};
