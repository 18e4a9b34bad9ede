/** Calls of the JSON API, with the types that the server describes. */
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Look = Schemas["Look"];
export type Identified = Schemas["Identified"];
export type GreyPlace = Schemas["Place"];
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
export type Deleted = Schemas["DeletedDetail"];
export type ShotEncoding = Schemas["ShotEncoding"];
export type ProductionLine = Schemas["ProductionLine"];
export type LookLine = Schemas["LookLine"];
export type LookDetail = Schemas["LookDetail"];
export type VersionLine = Schemas["VersionLine"];
export type VersionDetail = Schemas["VersionDetail"];
export type Handoff = Schemas["HandoffDetail"];
export type Plan = Schemas["Plan"];
export type Receiver = Schemas["Receiver"];
export type Delivery = Schemas["Delivery"];
export type PlanDetail = Schemas["PlanDetail"];
export type Package = Schemas["PackageDetail"];
export type FileOf = Schemas["FileOf"];
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
export type TableReading = Schemas["TableReading"];
export type Unpicked = Schemas["UnpickDetail"];
export type MatchDetail = Schemas["MatchDetail"];
export type MatchPair = Schemas["Pair"];
export type BoardTable = Schemas["BoardTableDetail"];
export type PictureReading = Schemas["PictureReading"];
export type Proposal = Schemas["Proposal"];
export type PatchPair = Schemas["PatchPair"];
export type FilmFit = Schemas["FilmFit"];
export type MatchArea = MatchPair["shot"];

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

const client = createClient<paths>({
  // Where there is no page, as in tests, nobody is asked either.
  baseUrl: "location" in globalThis ? location.origin : "",
  fetch: (request) => fetch(request),
});

/** What a call answers with; a refusal is thrown as a [Problem]. */
async function told<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const answer = await call.catch(() => {
    throw new Problem(0, "The server does not answer.");
  });
  if (!answer.response.ok) {
    const problem = answer.error as Partial<Schemas["Problem"]> | undefined;
    throw new Problem(answer.response.status, problem?.detail ?? answer.response.statusText, problem?.revision);
  }
  return answer.data as T;
}

/** The thing that a call is about. */
const of = (id: string) => ({ params: { path: { id } } });

/** A body of which what has a default on the server may be left out. */
const some = <T>(body: Partial<T>) => body as T;

/** A file as a body: it goes as it is. */
const asFile = (file: Blob) => ({
  body: file as unknown as string,
  bodySerializer: () => file,
  headers: { "content-type": "application/octet-stream" },
});

export const api = {
  catalogue: () => told(client.GET("/api/catalogue")),
  encodings: () => told(client.GET("/api/encodings")),
  productions: () => told(client.GET("/api/productions")),
  production: (id: string) => told(client.GET("/api/productions/{id}", of(id))),
  scopes: () => told(client.GET("/api/scopes")),
  createProduction: (name: string) => told(client.POST("/api/productions", { body: { name } })),
  renameProduction: (id: string, name: string) => told(client.PUT("/api/productions/{id}", { ...of(id), body: { name } })),
  duplicateProduction: (id: string, name: string) => told(client.POST("/api/productions/{id}/duplicate", { ...of(id), body: { name } })),
  openDemo: () => told(client.POST("/api/productions/demo")),
  restore: (what: Deleted["sort"], id: string) => told(client.POST(`/api/${what}/{id}/restore`, of(id))),
  deletedProductions: () => told(client.GET("/api/deleted")),
  deleted: (production: string) => told(client.GET("/api/productions/{id}/deleted", of(production))),
  forget: (sort: Deleted["sort"], id: string) => told(client.DELETE("/api/deleted/{sort}/{id}", { params: { path: { sort, id } } })),
  apart: (shot: string) => told(client.POST("/api/shots/{id}/apart", of(shot))),
  join: (scene: string, shots: string[]) => told(client.POST("/api/scenes/{id}/join", { ...of(scene), body: { shots } })),
  codeValues: (shot: string) => told(client.GET("/api/shots/{id}/code-values", of(shot))),
  deleteProduction: (id: string) => told(client.DELETE("/api/productions/{id}", of(id))),
  importProduction: (key: string) => told(client.POST("/api/productions/import", { body: { key } })),
  arrange: (production: string, scenes: { id: string; shots: string[] }[]) =>
    told(client.PUT("/api/productions/{id}/order", { ...of(production), body: { scenes } })),
  createScene: (production: string, name: string, finished = false) =>
    told(client.POST("/api/productions/{id}/scenes", { ...of(production), body: { name, finished } })),
  editScene: (id: string, change: { name?: string; finished?: boolean }) => told(client.PUT("/api/scenes/{id}", { ...of(id), body: some(change) })),
  deleteScene: (id: string) => told(client.DELETE("/api/scenes/{id}", of(id))),
  saveProfile: (production: string, id: string | null, profile: { body: unknown; table?: string; usual?: boolean; revision?: number }) =>
    id ? told(client.PUT("/api/profiles/{id}", { ...of(id), body: some(profile) })) : told(client.POST("/api/productions/{id}/profiles", { ...of(production), body: some(profile) })),
  deleteProfile: (id: string) => told(client.DELETE("/api/profiles/{id}", of(id))),
  profileReading: (body: unknown) => told(client.POST("/api/profile-reading", { body })),
  group: (names: string[]) => told(client.POST("/api/group", { body: { names } })) as Promise<Group[]>,
  have: (key: string) => told(client.GET("/api/incoming/{key}", { params: { path: { key } } })),
  giveUp: (key: string) => told(client.DELETE("/api/incoming/{key}", { params: { path: { key } } })),
  createShot: (scene: string, arrived: { key: string; name: string; number?: number; shot?: string; expected?: number }) =>
    told(client.POST("/api/scenes/{id}/shots", { ...of(scene), body: some(arrived) })),
  addFrame: (shot: string, arrived: { key: string; name: string; number: number }) =>
    told(client.POST("/api/shots/{id}/frames", { ...of(shot), body: some<Schemas["Arrived"]>(arrived) })),
  frames: (shot: string) => told(client.GET("/api/shots/{id}/frames", of(shot))),
  stopIntake: (shot: string) => told(client.POST("/api/shots/{id}/stop", of(shot))),
  folders: () => told(client.GET("/api/folders")),
  listFolder: (root: number, parts: string[]) => told(client.POST("/api/folders/list", { body: { root, parts } })),
  bringIn: (scene: string, root: number, parts: string[], names: string[]) =>
    told(client.POST("/api/scenes/{id}/bring", { ...of(scene), body: { place: { root, parts }, names } })),
  setEncodings: (production: string, set: ShotEncoding[], onlyUnset = false) =>
    told(client.PUT("/api/productions/{id}/encodings", { ...of(production), body: { set, only_unset: onlyUnset } })),
  editShot: (id: string, change: Partial<Schemas["EditShot"]>) => told(client.PATCH("/api/shots/{id}", { ...of(id), body: some(change) })),
  deleteShot: (id: string) => told(client.DELETE("/api/shots/{id}", of(id))),
  trim: (shot: string) => told(client.GET("/api/shots/{id}/trim", of(shot))),
  /** `keepalive`: the request goes on after the page is gone. */
  saveTrim: (shot: string, path: Path, revision?: number, keepalive = false) =>
    told(client.PUT("/api/shots/{id}/trim", { ...of(shot), body: { path, revision: revision ?? null }, keepalive })),
  copyTrim: (shot: string, to: string[], steps: string[] | null) =>
    told(client.POST("/api/shots/{id}/trim/copy", { ...of(shot), body: { to, steps } })),
  match: (ask: { shot: Side; step: string; to: Side; whole: boolean }) => told(client.POST("/api/match", { body: ask })),
  looks: (production: string) => told(client.GET("/api/productions/{id}/looks", of(production))),
  createLook: (production: string, name: string, document?: Look) =>
    told(client.POST("/api/productions/{id}/looks", { ...of(production), body: { name, document: document ?? null } })),
  look: (id: string) => told(client.GET("/api/looks/{id}", of(id))),
  saveLook: (id: string, revision: number, document: Look, keepalive = false) =>
    told(client.PUT("/api/looks/{id}", { ...of(id), body: { revision, document }, keepalive })),
  deleteLook: (id: string) => told(client.DELETE("/api/looks/{id}", of(id))),
  versions: (id: string) => told(client.GET("/api/looks/{id}/versions", of(id))),
  version: (id: string, number: number) => told(client.GET("/api/looks/{id}/versions/{number}", { params: { path: { id, number } } })),
  keepVersion: (id: string, name: string) => told(client.POST("/api/looks/{id}/versions", { ...of(id), body: { name } })),
  handoffs: (id: string) => told(client.GET("/api/looks/{id}/handoffs", of(id))),
  createHandoff: (id: string, ask: { version: number; from: string; to: string; size: number; format: Handoff["format"]; range: Handoff["range"] }) =>
    told(client.POST("/api/looks/{id}/handoffs", { ...of(id), body: ask })),
  identify: (production: string, file: File) =>
    told(client.POST("/api/productions/{id}/identify", { params: { path: { id: production }, query: { name: file.name } }, ...asFile(file) })),
  plans: (production: string) => told(client.GET("/api/productions/{id}/plans", of(production))),
  plan: (id: string) => told(client.GET("/api/plans/{id}", of(id))),
  createPlan: (production: string, plan: unknown) => told(client.POST("/api/productions/{id}/plans", { ...of(production), body: { plan } })),
  savePlan: (id: string, revision: number, plan: Plan, keepalive = false) =>
    told(client.PUT("/api/plans/{id}", { ...of(id), body: { revision, plan }, keepalive })),
  deletePlan: (id: string) => told(client.DELETE("/api/plans/{id}", of(id))),
  packages: (look: string) => told(client.GET("/api/looks/{id}/packages", of(look))),
  createPackage: (look: string, version: number, plan: string) => told(client.POST("/api/looks/{id}/packages", { ...of(look), body: { version, plan } })),
  package: (id: string) => told(client.GET("/api/packages/{id}", of(id))),
  cancelPackage: (id: string) => told(client.POST("/api/packages/{id}/cancel", of(id))),
  resumePackage: (id: string) => told(client.POST("/api/packages/{id}/resume", of(id))),
  deletePackage: (id: string) => told(client.DELETE("/api/packages/{id}", of(id))),
  cancelHandoff: (id: string) => told(client.POST("/api/handoffs/{id}/cancel", of(id))),
  importLook: (production: string, file: Blob) => told(client.POST("/api/productions/{id}/looks/import", { ...of(production), ...asFile(file) })),
  bringTable: (file: File, range: "full" | "legal" = "full") => told(client.POST("/api/tables", { params: { query: { name: file.name, range } }, ...asFile(file) })),
  readTable: (table: string, from: TableUse["from"], to: TableUse["to"]) =>
    told(client.POST("/api/tables/reading", { body: { table, from, to } })),
  beginUnpick: (t: TableUse) => told(client.POST("/api/unpicks", { body: { table: t.table, name: t.name, from: t.from, to: t.to } })),
  unpick: (id: string) => told(client.GET("/api/unpicks/{id}", of(id))),
  stopUnpick: (id: string) => told(client.DELETE("/api/unpicks/{id}", of(id))),
  matchReferences: (body: Schemas["MatchReferences"], signal: AbortSignal) => told(client.POST("/api/references/match", { body, signal })),
  readShot: (shot: string) => told(client.GET("/api/shots/{id}/reading", of(shot))),
  readSeen: (body: Schemas["Seen"]) => told(client.POST("/api/references/reading", { body })),
  takePart: (body: Schemas["TakePart"]) => told(client.POST("/api/references/taken", { body })),
  proposePairs: (body: Schemas["ProposePairs"]) => told(client.POST("/api/references/pairs", { body })),
  comparePatches: (body: Schemas["ComparePatches"]) => told(client.POST("/api/references/patches", { body })),
  putOnBoard: (board: string, body: Schemas["PutOnBoard"]) => told(client.POST("/api/scenes/{id}/tables", { ...of(board), body })),
  editBoardTable: (id: string, change: Partial<Schemas["EditBoardTable"]>) => told(client.PUT("/api/board-tables/{id}", { ...of(id), body: some(change) })),
  takeOffBoard: (id: string) => told(client.DELETE("/api/board-tables/{id}", of(id))),
  putBackOnBoard: (id: string) => told(client.POST("/api/board-tables/{id}/restore", of(id))),
  keepFrame: (shot: string, body: Schemas["KeepFrame"]) => told(client.POST("/api/shots/{id}/kept", { ...of(shot), body })),
  readPath: (path: Path, from: TableUse["from"], to: TableUse["to"]) => told(client.POST("/api/paths/reading", { body: { path, from, to } })),
  fitFilm: (body: Schemas["FitFilm"], signal: AbortSignal) => told(client.POST("/api/stocks/film", { body, signal })),
  measureStock: (body: Schemas["MeasureStock"]) => told(client.POST("/api/stocks/measured", { body })),
  readCorrections: (file: Blob) => told(client.POST("/api/corrections/read", asFile(file))),
  writeCorrections: (form: string, corrections: CorrectionLine[]) => told<string>(client.POST("/api/corrections/write", { body: { form, corrections }, parseAs: "text" })),
  shelf: () => told(client.GET("/api/shelf")),
  keepOnShelf: (kind: "look" | "steps", document: Look) => told(client.POST("/api/shelf", { body: { kind, document } })),
  takeFromShelf: (id: string) => told(client.DELETE("/api/shelf/{id}", of(id))),
  compare: (before: Path, after: Path) => told(client.POST("/api/compare", { body: { before, after } })),
  stocks: (production: string) => told(client.GET("/api/productions/{id}/stocks", of(production))),
  stockFields: () => told(client.GET("/api/stock-fields")),
  rangeFields: () => told(client.GET("/api/range-fields")),
  pick: (ask: Schemas["PickRequest"]) => told(client.POST("/api/pick", { body: ask })),
  dropper: (ask: Schemas["DropperRequest"]) => told(client.POST("/api/dropper", { body: ask })),
};
