/** The picture in hand, and the one beside it. Pixels go straight from the socket to the canvas. */
import { useEffect } from "react";
import { useInstruments } from "../state/instruments";
import { shotInHand, shotsOf, useSession } from "../state/session";
import { follow } from "../ui/drag";
import { Legend } from "./Legend";
import { Pins, Readout } from "./Readout";
import { Stage } from "./Stage";

export function Picture() {
  const tool = useInstruments((s) => s.tool);
  const show = useInstruments((s) => s.show);
  const beside = useInstruments((s) => s.beside);
  const place = useSession((s) => s.place);
  const held = useSession((s) => s.held);
  const shot = useSession(shotInHand);
  const other = useSession((s) => shotsOf(s.production).find((x) => x.id === beside?.shot));
  const as = place === "balance" && other ? (beside?.as ?? null) : null;
  return (
    <section aria-label="Picture" className="flex min-h-0 flex-1 flex-col">
      <div className="relative flex min-h-0 flex-1 items-center justify-center gap-1 bg-pit">
        {as === "wipe" ? (
          <Wipe />
        ) : (
          <>
            <Stage source="hand" name={shot?.name} className={as ? "w-1/2" : ""} />
            {as && <Stage source="beside" name={other?.name} className="w-1/2" />}
          </>
        )}
        {held === "rest" && <div className="absolute inset-0 bg-[#777777]" data-rest />}
        {show === "stops" && <Legend />}
        <Pins />
      </div>
      <footer className="flex h-6 items-center gap-4 overflow-hidden whitespace-nowrap text-faint">
        <span className="text-text">
          {shot?.name ?? "no shot"}
          {as && other ? ` · ${other.name}` : ""}
        </span>
        {tool ? (
          <span className="text-lantern">{HINTS[tool.kind]}, Esc to leave it</span>
        ) : held === "untouched" ? (
          <span className="text-lantern">untouched shot</span>
        ) : held === "version" ? (
          <span className="text-lantern">last saved version</span>
        ) : (
          <Readout hints={HOLDS[place] ?? []} />
        )}
      </footer>
    </section>
  );
}

const HINTS = {
  white: "click or drag over something neutral",
  exposure: "click or drag over the patch",
  rectangle: "drag a rectangle on the picture",
  loop: "draw around something on the picture",
};

const HOLDS: Record<string, string[]> = {
  look: ["hold A untouched", "hold V last version", "hold G rest on grey"],
  balance: ["hold A untrimmed", "F the shot before", "hold G rest on grey"],
};

/** Both pictures on each other, parted by a line that is dragged. */
function Wipe() {
  const wipe = useInstruments((s) => s.wipe);
  const set = useInstruments((s) => s.set);
  useEffect(() => () => set({ wipe: 0.5 }), [set]);
  const at = `${wipe * 100}%`;
  const drag = (e: React.PointerEvent<HTMLDivElement>) => {
    const box = e.currentTarget.parentElement?.getBoundingClientRect();
    if (!box) return;
    const move = (m: PointerEvent) => set({ wipe: Math.min(1, Math.max(0, (m.clientX - box.left) / box.width)) });
    follow(e, "wipe", move, () => undefined);
  };
  const keys = (e: React.KeyboardEvent) => {
    const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key];
    if (by === undefined) return;
    set({ wipe: Math.min(1, Math.max(0, wipe + by)) });
    e.preventDefault();
  };
  return (
    <div className="relative flex h-full w-full items-center justify-center">
      <Stage source="hand" name="" className="h-full w-full" />
      <div className="pointer-events-none absolute inset-0 flex items-center justify-center" style={{ clipPath: `inset(0 0 0 ${at})` }}>
        <Stage source="beside" name="" className="h-full w-full" />
      </div>
      <div
        role="slider"
        tabIndex={0}
        aria-label="Line between the two shots"
        aria-valuenow={Math.round(wipe * 100)}
        data-wipe
        onPointerDown={drag}
        onKeyDown={keys}
        className="absolute inset-y-0 w-3 -translate-x-1/2 cursor-ew-resize"
        style={{ left: at }}
      >
        <div className="mx-auto h-full w-px bg-lantern" />
      </div>
    </div>
  );
}
