import { expect, test, vi } from "vitest";
import { api, Problem } from "./client";

vi.hoisted(() => vi.stubGlobal("location", { origin: "http://page.test" }));

/** Answers every call, and keeps what was asked. */
function answering(answer: () => Response | Promise<Response>) {
  const asked: Request[] = [];
  vi.stubGlobal("fetch", (request: Request) => {
    asked.push(request);
    return Promise.resolve(answer());
  });
  return asked;
}

const json = (status: number, body: unknown, type = "application/json") =>
  new Response(JSON.stringify(body), { status, headers: { "content-type": type } });

test("a call names its thing, and its body is JSON", async () => {
  const asked = answering(() => json(200, { id: "b" }));
  await api.duplicateProduction("a/b", "Two");
  expect(asked[0]?.method).toBe("POST");
  // What stands in a path cannot become more of it.
  expect(new URL(asked[0]?.url ?? "").pathname).toBe("/api/productions/a%2Fb/duplicate");
  expect(asked[0]?.headers.get("content-type")).toBe("application/json");
  expect(await asked[0]?.json()).toEqual({ name: "Two" });
});

test("a file goes as it is, with its name in the query", async () => {
  const asked = answering(() => json(200, {}));
  await api.bringTable(new File(["LUT_3D_SIZE 2"], "a & b.cube"));
  expect(new URL(asked[0]?.url ?? "").searchParams.get("name")).toBe("a & b.cube");
  expect(asked[0]?.headers.get("content-type")).toBe("application/octet-stream");
  expect(await asked[0]?.text()).toBe("LUT_3D_SIZE 2");
});

test("nothing and text are answers too", async () => {
  answering(() => new Response(null, { status: 204 }));
  expect(await api.deleteShot("s")).toBeUndefined();
  answering(() => new Response("<ColorDecisionList/>"));
  expect(await api.writeCorrections("cdl", [])).toBe("<ColorDecisionList/>");
});

test("a refusal says what the server says, with the revision that won", async () => {
  answering(() => json(409, { detail: "Somebody else saved it.", revision: 7 }, "application/problem+json"));
  const refused = await api.look("l").catch((e: unknown) => e);
  expect(refused).toBeInstanceOf(Problem);
  expect(refused).toMatchObject({ status: 409, message: "Somebody else saved it.", revision: 7 });
});

test("a refusal without words has its status, and a server that is away is said", async () => {
  answering(() => new Response("<h1>Bad gateway</h1>", { status: 502, statusText: "Bad Gateway" }));
  await expect(api.shelf()).rejects.toMatchObject({ status: 502, message: "Bad Gateway" });
  answering(() => Promise.reject(new TypeError("Failed to fetch")));
  await expect(api.shelf()).rejects.toMatchObject({ status: 0, message: "The server does not answer." });
});
