/** How the picture is seen: compared against something, in what surround, how close, over the whole window. */
import { useQuery } from "@tanstack/react-query";
import { Maximize2, Minimize2 } from "lucide-react";
import { useState } from "react";
import { api } from "../data/client";
import { MONITOR } from "../preview/preview";
import { useHdrDisplays } from "../session/encodings";
import { Compare } from "./Compare";
import { useInstruments, type Against, type Surround } from "../session/instruments";
import { shotsOf, told, useSession } from "../session/session";
import { useWork } from "../document/work";
import { Button, Menu, type MenuItem } from "../ui/controls";
import { listed } from "../ui/listed";

export const SURROUND: Record<Surround, string> = {
  black: "var(--color-pit)",
  grey: "var(--color-rest)",
  white: "var(--color-paper)",
  page: "var(--color-paper)",
};

const SURROUNDS: Surround[] = ["black", "grey", "white", "page"];
const CLOSE = [null, 1, 2, 4, 8];

export function ViewBar() {
  const look = useSession((s) => s.place === "look");
  const full = useInstruments((s) => s.full);
  return (
    <div role="toolbar" aria-label="View" className="flex shrink-0 items-center gap-1">
      {look && <AgainstMenu />}
      <Surrounds />
      <DisplayMenu />
      {look && <LoupeButton />}
      <Closeness />
      <Button kind="quiet" className="px-1" aria-label={full ? "Back to the place" : "Over the whole window"} title="W" onClick={() => fill(!full)}>
        {full ? <Minimize2 size={13} /> : <Maximize2 size={13} />}
      </Button>
    </div>
  );
}

/** Fills the window with the picture, and the screen where the browser lets it. */
export function fill(full: boolean): void {
  useInstruments.getState().set({ full });
  // A browser that refuses still has the whole window.
  if (full) document.documentElement.requestFullscreen().catch(() => undefined);
  else if (document.fullscreenElement) told(document.exitFullscreen());
}

/** What the look is compared against, and how both are shown. */
function AgainstMenu() {
  const [differences, setDifferences] = useState(false);
  const production = useSession((s) => s.production);
  const look = useWork((s) => s.look);
  const against = useInstruments((s) => s.against);
  const as = useInstruments((s) => s.againstAs);
  const set = useInstruments((s) => s.set);
  const looks = useQuery({
    queryKey: ["looks", production?.id],
    queryFn: () => (production ? api.looks(production.id) : Promise.resolve([])),
    enabled: production !== null,
    select: (all) => all.filter((l) => l.id !== look?.id),
  });
  const versions = useQuery({
    queryKey: ["versions", look?.id],
    queryFn: () => (look ? api.versions(look.id) : Promise.resolve([])),
    enabled: look !== null,
  });
  const pick = (label: string, to: Against): MenuItem => ({ label, run: () => set({ against: to }) });
  const shot = useSession((s) => shotsOf(s.production).find((x) => x.id === s.shot));
  const contrast = shotsOf(production).find((x) => x.id === shot?.contrast);
  const references = (production?.scenes ?? []).filter((s) => s.finished).flatMap((s) => s.shots);
  const items = [
    ...(contrast ? [pick(`Contrast frame ${contrast.name}`, { kind: "reference", shot: contrast.id })] : []),
    pick("Untouched shot", { kind: "untouched" }),
    pick("Plain rendering", { kind: "plain" }),
    null,
    ...(look ? listed(versions, "Versions", (v) => pick(`Version ${v.number}: ${v.name}`, { kind: "version", look: look.id, number: v.number })) : []),
    null,
    ...listed(looks, "Looks", (l) => pick(`Look ${l.name}`, { kind: "look", look: l.id })),
    null,
    ...references.map((s) => pick(`Reference ${s.name}`, { kind: "reference", shot: s.id })),
  ];
  const compared = against?.kind === "version" || against?.kind === "look";
  return (
    <>
      {against && (
        <>
          {compared && (
            <Button kind="quiet" className="px-1" onClick={() => setDifferences(true)}>
              Differences
            </Button>
          )}
          <Button kind="quiet" className="px-1" aria-label="Side by side or wipe" onClick={() => set({ againstAs: as === "wipe" ? "side" : "wipe" })}>
            {as === "wipe" ? "Wipe" : "Side by side"}
          </Button>
          <Button kind="quiet" className="px-1" aria-label="End the comparison" onClick={() => set({ against: null })}>
            ×
          </Button>
        </>
      )}
      <Menu trigger={<Button kind="quiet" className={against ? "text-lantern" : ""}>Compare with ▾</Button>} items={items} />
      {compared && <Compare open={differences} onClose={() => setDifferences(false)} />}
    </>
  );
}

function Surrounds() {
  const surround = useInstruments((s) => s.surround);
  const set = useInstruments((s) => s.set);
  return (
    <div role="radiogroup" aria-label="Surround" title="U" className="flex items-center">
      {SURROUNDS.map((s) => (
        <button
          key={s}
          type="button"
          role="radio"
          aria-checked={surround === s}
          aria-label={s === "page" ? "on a white page" : s}
          onClick={() => set({ surround: s })}
          className="flex h-6 w-6 items-center justify-center"
        >
          <span className={`flex h-3 w-3 items-center justify-center border ${surround === s ? "border-lantern" : "border-faint"}`} style={{ background: SURROUND[s] }}>
            {s === "page" && <span className="block h-1 w-1.5 bg-faint" />}
          </span>
        </button>
      ))}
    </div>
  );
}

/** The display that the picture is made for. An HDR one is brought to this monitor by a tone map, and says so. */
function DisplayMenu() {
  const display = useInstruments((s) => s.display);
  const set = useInstruments((s) => s.set);
  const hdr = useHdrDisplays();
  const name = hdr.find((e) => e.id === display)?.name;
  return (
    <Menu
      trigger={
        <Button kind="quiet" className={`px-1 ${name ? "text-lantern" : ""}`} aria-label={`${name ? "HDR" : "SDR"}, display: ${name ?? "this monitor"}`}>
          {name ? "HDR" : "SDR"} ▾
        </Button>
      }
      items={[
        { label: "This monitor (sRGB)", run: () => set({ display: MONITOR }) },
        null,
        ...hdr.map((e) => ({ label: e.name, run: () => set({ display: e.id }) })),
      ]}
    />
  );
}

function LoupeButton() {
  const loupe = useInstruments((s) => s.loupe);
  const set = useInstruments((s) => s.set);
  return (
    <Button kind="quiet" className={`px-1 ${loupe ? "text-lantern" : ""}`} aria-pressed={loupe} title="A part pixel for pixel beside the picture (K)" onClick={() => set({ loupe: !loupe })}>
      loupe
    </Button>
  );
}

function Closeness() {
  const closeup = useInstruments((s) => s.closeup);
  const set = useInstruments((s) => s.set);
  return (
    <Menu
      trigger={
        <Button kind="quiet" className={`px-1 ${closeup ? "text-lantern" : ""}`} aria-label={`Zoom: ${closeup ? `${closeup}:1` : "fit"}`}>
          {closeup ? `${closeup}:1` : "fit"} ▾
        </Button>
      }
      items={CLOSE.map((c) => ({ label: c === null ? "fit" : `${c}:1`, hint: c === null ? "Z" : c === 1 ? "Z" : "", run: () => set({ closeup: c }) }))}
    />
  );
}
