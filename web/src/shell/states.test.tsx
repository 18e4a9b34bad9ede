// @vitest-environment jsdom
/** What the page shows while something comes, where it failed, and when something breaks. */
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { useWork } from "../document/work";
import { useSession } from "../session/session";
import { act, cleanup, drawn, fireEvent, openMenu, screen } from "../testing/page";
import { inHand, step } from "../testing/path";

const calls = vi.hoisted(() => ({ versions: vi.fn(), looks: vi.fn(), createLook: vi.fn(), look: vi.fn(), saveTrim: vi.fn() }));

vi.mock("../preview/preview", () => {
  const listeners = () => ({ add: () => () => undefined, next: () => () => undefined });
  return { preview: { again: vi.fn(), problems: listeners(), samples: listeners(), frames: listeners(), behind: listeners(), online: listeners() }, MONITOR: "srgb" };
});
vi.mock("../data/client", async (original) => {
  const real = await original<typeof import("../data/client")>();
  return { ...real, api: { ...real.api, ...calls } };
});

const { Guarded } = await import("./Broken");
const { LookMenu } = await import("./LookMenu");
const { Conflict, SaveState } = await import("./SaveState");
const { StatusBar } = await import("./StatusBar");
const { Versions } = await import("./Versions");

beforeEach(() => {
  vi.clearAllMocks();
  inHand([step("a")]);
  useWork.setState({ look: { id: "dusk", name: "Dusk" } });
  useSession.setState({ production: { id: "harbour", scenes: [], profiles: [] } as never, place: "look", notice: "", action: null });
});
afterEach(cleanup);

describe("the versions", () => {
  const button = (name: string) => screen.findByRole("button", { name });

  it("say that they are loading", async () => {
    calls.versions.mockReturnValue(new Promise(() => undefined));
    drawn(<Versions onSave={() => undefined} />);
    expect((await button("Versions: loading")).textContent).toContain("…");
  });

  it("say why they could not be loaded, and are loaded when asked again", async () => {
    calls.versions.mockRejectedValueOnce(new Error("The server does not answer."));
    drawn(<Versions onSave={() => undefined} />);
    const items = await openMenu("Versions: could not be loaded");
    expect(items).toEqual(["Versions could not be loaded: The server does not answer.", "Try again"]);
    calls.versions.mockResolvedValue([{ number: 1, name: "first", saved_at: 0 }]);
    await act(async () => { fireEvent.click(screen.getByText("Try again")); });
    await button("Versions: 1");
  });

  it("are a list to go back by", async () => {
    calls.versions.mockResolvedValue([
      { number: 2, name: "warmer", saved_at: 0 },
      { number: 1, name: "first", saved_at: 0 },
    ]);
    drawn(<Versions onSave={() => undefined} />);
    const items = await openMenu("Versions: 2");
    expect(items.map((i) => i.slice(0, 24))).toEqual(["Go back to 2 · warmer" + items[0]?.slice(21, 24), "Go back to 1 · first" + items[1]?.slice(20, 24)]);
  });

  it("have nothing to open where there are none", async () => {
    calls.versions.mockResolvedValue([]);
    drawn(<Versions onSave={() => undefined} />);
    expect(((await button("Versions: 0")) as HTMLButtonElement).disabled).toBe(true);
  });
});

describe("the list of looks", () => {
  it("says why it is not there, beside what can be done without it", async () => {
    calls.looks.mockRejectedValue(new Error("The database is busy."));
    drawn(<LookMenu />);
    await screen.findByRole("button", { name: "Look: Dusk" });
    await vi.waitFor(() => expect(calls.looks).toHaveBeenCalled());
    await act(async () => undefined);
    const items = await openMenu("Look: Dusk");
    expect(items.slice(0, 2)).toEqual(["Looks could not be loaded: The database is busy.", "Try again"]);
    expect(items).toContain("New look…");
  });
});

describe("saving", () => {
  it("says how far it is", () => {
    drawn(<SaveState />);
    for (const [saving, words] of [["saved", "saved"], ["saving", "saving"], ["away", "not saved: server away"], ["refused", "not saved"]] as const) {
      act(() => useWork.setState({ saving }));
      expect(screen.getByText(words)).toBeTruthy();
    }
  });

  it("offers both ways out of a conflict, and keeps one's own under another name", async () => {
    useWork.setState({ saving: "conflict", failure: "Somebody saved revision 5." });
    calls.createLook.mockResolvedValue({ id: "mine" });
    calls.look.mockResolvedValue({ revision: 1, document: { version: 5, name: "Dusk (mine)", notes: "", tags: [], path: { steps: [] } } });
    useSession.setState({ place: "look" });
    drawn(<Conflict />);
    expect(screen.getByRole("alert").textContent).toContain("was saved in another window");
    expect(screen.getAllByRole("button").map((b) => b.textContent)).toEqual(["Load what the other window saved", "Keep mine as a new look"]);
    await act(async () => { fireEvent.click(screen.getByText("Keep mine as a new look")); });
    await vi.waitFor(() => expect(useWork.getState().id).toBe("mine"));
    expect(calls.createLook.mock.calls[0]?.slice(0, 2)).toEqual(["harbour", "Dusk (mine)"]);
  });

  it("a failure of keeping one's own is said, not swallowed", async () => {
    useWork.setState({ saving: "conflict" });
    calls.createLook.mockRejectedValue(new Error("The disk is full."));
    useSession.setState({ place: "look" });
    drawn(<Conflict />);
    await act(async () => { fireEvent.click(screen.getByText("Keep mine as a new look")); });
    await vi.waitFor(() => expect(useSession.getState().notice).toBe("The disk is full."));
    expect(useWork.getState().saving).toBe("conflict");
  });
});

describe("the foot of the page", () => {
  it("says what was left unsaved and why, and leads back there", async () => {
    useWork.setState({ left: [{ kind: "look", id: "kelp", name: "Deep Kelp", saving: "conflict", failure: "Somebody saved revision 5." }] });
    calls.look.mockResolvedValue({ revision: 5, document: { version: 5, name: "Deep Kelp", notes: "", tags: [], path: { steps: [] } } });
    drawn(<StatusBar />);
    const button = screen.getByText(/“Deep Kelp” has changes that are not saved/);
    expect(button.closest("button")?.title).toBe("Somebody saved revision 5.");
    await act(async () => { fireEvent.click(button); });
    await vi.waitFor(() => expect(useWork.getState().id).toBe("kelp"));
  });

  it("says nothing of what is only on its way", () => {
    useWork.setState({ left: [{ kind: "look", id: "kelp", name: "Deep Kelp", saving: "saving", failure: "" }] });
    drawn(<StatusBar />);
    expect(screen.queryByText(/not saved/)).toBeNull();
  });
});

describe("a part that breaks", () => {
  it("says so in its place, leaves the rest alone, and is drawn again when asked", async () => {
    vi.spyOn(console, "error").mockImplementation(() => undefined);
    let broken = true;
    const Part = () => {
      if (broken) throw new Error("no such step");
      return <p>the path</p>;
    };
    drawn(
      <>
        <Guarded what="Look" of="look">
          <Part />
        </Guarded>
        <p>the head</p>
      </>,
    );
    expect(screen.getByRole("alert").textContent).toContain("Look could not be drawn.");
    expect(screen.getByRole("alert").textContent).toContain("no such step");
    expect(screen.getByText("the head")).toBeTruthy();
    broken = false;
    await act(async () => { fireEvent.click(screen.getByText("Try again")); });
    expect(screen.getByText("the path")).toBeTruthy();
  });
});
