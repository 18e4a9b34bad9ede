/** Calls of the JSON API, with the types that the server describes. */
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Look = Schemas["Look"];
export type Path = Schemas["Path"];
export type Step = Schemas["Step"];
export type Zone = Schemas["Zone"];
export type StepGroup = Schemas["Group"];
export type Region = Schemas["Region"];
export type ColourRange = Schemas["ColourRange"];
export type Bump = Schemas["Bump"];
export type TableUse = Schemas["TableUse"];
export type TableLine = Schemas["TableLine"];
export type CorrectionLine = Schemas["CorrectionLine"];
export type ShelfItem = Schemas["ShelfItem"];
export type Difference = Schemas["Difference"];
export type Picked = Schemas["Picked"];
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
export type Counts = Partial<Schemas["Counts"]>;
export type Sample = Schemas["Sample"];
export type ScopeInfo = Schemas["ScopeInfo"];
export type Area = Schemas["Area"];
export type Group = Schemas["FileGroup"];
type Groups = Group[];
export type Listing = Schemas["Listing"];
export type FrameLine = Schemas["FrameLine"];
export type Profile = Schemas["ProfileDetail"];
export type ProfileReading = Schemas["ProfileReading"];
export type CameraProfile = Schemas["CameraProfile"];
export type TrimBefore = Schemas["TrimBefore"];
export type Brought = Schemas["Brought"];
export type Side = Schemas["Side"];
export type Stocks = Schemas["Stocks"];
export type StockFields = Schemas["StockFields"];
export type NegativeStock = Schemas["NegativeStock"];
export type PrintStock = Schemas["PrintStock"];
export type FilmReading = Schemas["FilmReading"];
export type DyeSet = Schemas["DyeSet"];
export type Replaced = Schemas["Replaced"];
export type CodeValues = Schemas["CodeValues"];
export type Family = Schemas["Family"];

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

async function send(method: string, url: string, type?: string, body?: BodyInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(url, { method, headers: type ? { "content-type": type } : {}, body });
  } catch {
    throw new Problem(0, "The server does not answer.");
  }
  if (!response.ok) {
    const problem = (await response.json().catch(() => null)) as Schemas["Problem"] | null;
    throw new Problem(response.status, problem?.detail ?? response.statusText, problem?.revision);
  }
  return response;
}

async function call<T>(method: string, url: string, body?: unknown): Promise<T> {
  const json = body === undefined ? undefined : JSON.stringify(body);
  const response = await send(method, url, json && "application/json", json);
  return (response.status === 204 ? undefined : await response.json()) as T;
}

async function callText(url: string, body: unknown): Promise<string> {
  return (await send("POST", url, "application/json", JSON.stringify(body))).text();
}

async function sendFile<T>(url: string, file: Blob): Promise<T> {
  return (await (await send("POST", url, "application/octet-stream", file)).json()) as T;
}

export const api = {
  catalogue: () => call<KindInfo[]>("GET", "/api/catalogue"),
  encodings: () => call<EncodingInfo[]>("GET", "/api/encodings"),
  productions: () => call<ProductionLine[]>("GET", "/api/productions"),
  production: (id: string) => call<Production>("GET", `/api/productions/${id}`),
  scopes: () => call<ScopeInfo>("GET", "/api/scopes"),
  createProduction: (name: string) => call<ProductionLine>("POST", "/api/productions", { name }),
  renameProduction: (id: string, name: string) => call<undefined>("PUT", `/api/productions/${id}`, { name }),
  duplicateProduction: (id: string, name: string) => call<ProductionLine>("POST", `/api/productions/${id}/duplicate`, { name }),
  openDemo: () => call<ProductionLine>("POST", "/api/productions/demo", {}),
  restore: (what: "productions" | "scenes" | "shots" | "looks", id: string) => call<undefined>("POST", `/api/${what}/${id}/restore`),
  apart: (shot: string) => call<Replaced>("POST", `/api/shots/${shot}/apart`),
  join: (scene: string, shots: string[]) => call<Replaced>("POST", `/api/scenes/${scene}/join`, { shots }),
  codeValues: (shot: string) => call<CodeValues>("GET", `/api/shots/${shot}/code-values`),
  deleteProduction: (id: string) => call<undefined>("DELETE", `/api/productions/${id}`),
  importProduction: (key: string) => call<ProductionLine>("POST", "/api/productions/import", { key }),
  arrange: (production: string, scenes: { id: string; shots: string[] }[]) =>
    call<undefined>("PUT", `/api/productions/${production}/order`, { scenes }),
  createScene: (production: string, name: string, finished = false) =>
    call<Scene>("POST", `/api/productions/${production}/scenes`, { name, finished }),
  editScene: (id: string, change: { name?: string; finished?: boolean }) => call<undefined>("PUT", `/api/scenes/${id}`, change),
  deleteScene: (id: string) => call<undefined>("DELETE", `/api/scenes/${id}`),
  saveProfile: (production: string, id: string | null, profile: { body: unknown; table?: string; usual?: boolean; revision?: number }) =>
    id ? call<Profile>("PUT", `/api/profiles/${id}`, profile) : call<Profile>("POST", `/api/productions/${production}/profiles`, profile),
  deleteProfile: (id: string) => call<undefined>("DELETE", `/api/profiles/${id}`),
  profileReading: (body: unknown) => call<ProfileReading>("POST", "/api/profile-reading", body),
  group: (names: string[]) => call<Groups>("POST", "/api/group", { names }),
  have: (key: string) => call<{ have: number }>("GET", `/api/incoming/${key}`),
  giveUp: (key: string) => call<undefined>("DELETE", `/api/incoming/${key}`),
  createShot: (scene: string, arrived: { key: string; name: string; number?: number; shot?: string; expected?: number }) =>
    call<Shot>("POST", `/api/scenes/${scene}/shots`, arrived),
  addFrame: (shot: string, arrived: { key: string; name: string; number: number }) =>
    call<undefined>("POST", `/api/shots/${shot}/frames`, arrived),
  frames: (shot: string) => call<FrameLine[]>("GET", `/api/shots/${shot}/frames`),
  stopIntake: (shot: string) => call<undefined>("POST", `/api/shots/${shot}/stop`),
  folders: () => call<string[]>("GET", "/api/folders"),
  listFolder: (root: number, parts: string[]) => call<Listing>("POST", "/api/folders/list", { root, parts }),
  bringIn: (scene: string, root: number, parts: string[], names: string[]) =>
    call<Shot[]>("POST", `/api/scenes/${scene}/bring`, { place: { root, parts }, names }),
  editShot: (id: string, change: Partial<Schemas["EditShot"]>) => call<Shot>("PATCH", `/api/shots/${id}`, change),
  deleteShot: (id: string) => call<undefined>("DELETE", `/api/shots/${id}`),
  trim: (shot: string) => call<{ revision: number; path: Path }>("GET", `/api/shots/${shot}/trim`),
  saveTrim: (shot: string, path: Path, revision?: number) =>
    call<{ revision: number; path?: Path }>("PUT", `/api/shots/${shot}/trim`, { path, revision: revision ?? null }),
  copyTrim: (shot: string, to: string[], steps: string[] | null) =>
    call<TrimBefore[]>("POST", `/api/shots/${shot}/trim/copy`, { to, steps }),
  match: (ask: { shot: Side; step: string; to: Side }) => call<Brought>("POST", "/api/match", ask),
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
  importLook: (production: string, file: Blob) => sendFile<LookDetail>(`/api/productions/${production}/looks/import`, file),
  bringTable: (file: File) => sendFile<TableLine>(`/api/tables?name=${encodeURIComponent(file.name)}`, file),
  readCorrections: (file: Blob) => sendFile<CorrectionLine[]>("/api/corrections/read", file),
  writeCorrections: (form: string, corrections: CorrectionLine[]) => callText("/api/corrections/write", { form, corrections }),
  shelf: () => call<ShelfItem[]>("GET", "/api/shelf"),
  keepOnShelf: (kind: "look" | "steps", document: Look) => call<ShelfItem>("POST", "/api/shelf", { kind, document }),
  takeFromShelf: (id: string) => call<undefined>("DELETE", `/api/shelf/${id}`),
  compare: (before: Path, after: Path) => call<Difference[]>("POST", "/api/compare", { before, after }),
  stocks: (production: string) => call<Stocks>("GET", `/api/productions/${production}/stocks`),
  stockFields: () => call<StockFields>("GET", "/api/stock-fields"),
  rangeFields: () => call<Field[]>("GET", "/api/range-fields"),
  pick: (ask: Schemas["PickRequest"]) => call<Picked>("POST", "/api/pick", ask),
  dropper: (ask: Schemas["DropperRequest"]) => call<Dropped>("POST", "/api/dropper", ask),
};
