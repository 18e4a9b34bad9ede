/** The picture in hand, and the one beside it. Pixels go straight from the socket to the canvas. */
import { useEffect, useState } from "react";
import { useInstruments } from "../session/instruments";
import { isInterpreted, shotInHand, shotsOf, useSession } from "../session/session";
import { follow } from "../gestures/drag";
import { Legend } from "./Legend";
import { SURROUND, ViewBar } from "./ViewBar";
import { preview } from "../preview/preview";
import { Button } from "../ui/controls";
import { Pins } from "./Readout";
import { Loupe } from "./Loupe";
import { ToneMapped } from "./ToneMapped";
import { Reel } from "./Reel";
import { Transport } from "./Transport";
import { Stage } from "./Stage";

export function Picture() {
  const show = useInstruments((s) => s.show);
  const beside = useInstruments((s) => s.beside);
  const place = useSession((s) => s.place);
  const held = useSession((s) => s.held);
  const shot = useSession(shotInHand);
  const other = useSession((s) => shotsOf(s.production).find((x) => x.id === beside?.shot));
  const against = useInstruments((s) => s.against);
  const againstAs = useInstruments((s) => s.againstAs);
  const surround = useInstruments((s) => s.surround);
  const full = useInstruments((s) => s.full);
  const loupe = useInstruments((s) => s.loupe);
  const trying = useSession((s) => s.trying?.name ?? null);
  const raw = shot !== undefined && !isInterpreted(shot);
  const as = place === "balance" ? (other ? (beside?.as ?? null) : null) : against ? againstAs : null;
  return (
    <section aria-label="Picture" className={full ? "fixed inset-0 z-20 flex flex-col bg-room" : "flex min-h-0 flex-1 flex-col max-[900px]:h-[300px] max-[900px]:flex-none"}>
      <div
        data-surround={surround}
        className={`relative flex min-h-0 flex-1 items-center justify-center gap-1 ${surround === "page" ? "p-[5%]" : ""}`}
        style={{ background: SURROUND[surround] }}
      >
        {as === "wipe" ? (
          <Wipe />
        ) : (
          <>
            <Stage source="hand" name={shot?.name} className={as ? "w-1/2" : loupe ? "min-w-0 flex-1" : ""} />
            {as && <Stage source="beside" name={other?.name} className="w-1/2" />}
            {loupe && place === "look" && <Loupe />}
          </>
        )}
        {held === "rest" && <div className="absolute inset-0 bg-rest" data-rest />}
        {place === "look" && <Reel />}
        {show === "stops" && <Legend />}
        <ToneMapped />
        <Said trying={trying} />
        {raw && !trying && (
          <p role="note" data-raw className="absolute top-1.5 left-2 z-10 flex items-center gap-2 rounded bg-pit/85 py-0.5 pr-0.5 pl-2 text-bright">
            Encoding not set: code values as they are
            <Button kind="main" onClick={() => useSession.getState().set({ encode: [shot.id] })}>
              Set encoding…
            </Button>
          </p>
        )}
        <Pins />
      </div>
      <footer className="flex min-h-6 shrink-0 flex-wrap items-center gap-x-4 whitespace-nowrap text-faint">
        <span className="min-w-0 truncate text-text">
          {shot?.name ?? "No shot"}
          {as && other ? ` · ${other.name}` : ""}
        </span>
        <Transport />
        <span className="flex-1" />
        <ViewBar />
      </footer>
    </section>
  );
}

const HINTS = {
  white: "Click or drag over something neutral",
  exposure: "Click or drag over the patch",
  rectangle: "Drag a rectangle on the picture",
  loop: "Draw around something on the picture",
  bump: "Click or drag over a colour",
  range: "Click or drag over a colour",
};

/** What is to be known of the picture as it is shown now, on the picture itself. */
function Said({ trying }: { trying: string | null }) {
  const tool = useInstruments((s) => s.tool);
  const held = useSession((s) => s.held);
  const said = trying
    ? `Preview of “${trying}”. Nothing is changed yet.`
    : tool
      ? `${HINTS[tool.kind]}. Esc ends it.`
      : held && held !== "rest"
        ? HELD[held]
        : "";
  return (
    <p role="status" className="pointer-events-none absolute top-1.5 right-2 left-2 z-10 flex justify-center gap-2">
      {said && (
        <span data-trying={trying ? true : undefined} className="truncate rounded bg-pit/85 px-2 py-0.5 text-lantern">
          {said}
        </span>
      )}
      <Behind />
    </p>
  );
}

const HELD = { untouched: "Untouched shot", version: "Last saved version", step: "Step bypassed", group: "Group bypassed" };

/** Says that the picture is older than the values, where it has been for a while. */
function Behind() {
  const [behind, setBehind] = useState(false);
  useEffect(() => preview.behind.add(setBehind), []);
  return behind ? (
    <span data-behind className="rounded bg-pit/85 px-2 py-0.5 text-lantern">
      Picture is catching up…
    </span>
  ) : null;
}

/** Half-planes of the picture's box: beyond a line at a share of the way across, turned by an angle. */
function beyond(wipe: number, degrees: number): string {
  const a = (degrees * Math.PI) / 180;
  const [nx, ny] = [Math.cos(a), Math.sin(a)];
  // The line goes from one end of the box to the other along its normal, whatever the angle.
  const reach = (Math.abs(nx) + Math.abs(ny)) / 2;
  const at = (wipe * 2 - 1) * reach;
  const point = (along: number, out: number) => `${(0.5 + nx * out - ny * along) * 100}% ${(0.5 + ny * out + nx * along) * 100}%`;
  return `polygon(${point(-2, at)}, ${point(2, at)}, ${point(2, at + 4)}, ${point(-2, at + 4)})`;
}

/** Both pictures on each other, parted by a line that is dragged, and turned by dragging with Shift or by R. */
function Wipe() {
  const wipe = useInstruments((s) => s.wipe);
  const angle = useInstruments((s) => s.wipeAngle);
  const set = useInstruments((s) => s.set);
  useEffect(() => () => set({ wipe: 0.5 }), [set]);
  const a = (angle * Math.PI) / 180;
  const reach = (Math.abs(Math.cos(a)) + Math.abs(Math.sin(a))) / 2;
  const out = (wipe * 2 - 1) * reach;
  const [lx, ly] = [0.5 + Math.cos(a) * out, 0.5 + Math.sin(a) * out];
  const drag = (e: React.PointerEvent<HTMLDivElement>) => {
    const box = e.currentTarget.parentElement?.getBoundingClientRect();
    if (!box) return;
    const move = (m: PointerEvent) => {
      const [x, y] = [(m.clientX - box.left) / box.width - 0.5, (m.clientY - box.top) / box.height - 0.5];
      if (m.shiftKey) set({ wipeAngle: Math.round((Math.atan2(y, x) * 180) / Math.PI) });
      else set({ wipe: Math.min(1, Math.max(0, ((x * Math.cos(a) + y * Math.sin(a)) / reach + 1) / 2)) });
    };
    follow(e, "wipe", move, () => undefined);
  };
  const keys = (e: React.KeyboardEvent) => {
    const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key];
    const turned = { ArrowUp: -5, ArrowDown: 5 }[e.key];
    if (by !== undefined) set({ wipe: Math.min(1, Math.max(0, wipe + by)) });
    else if (turned !== undefined) set({ wipeAngle: (((angle + turned + 180) % 360) + 360) % 360 - 180 });
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <div className="relative flex h-full w-full items-center justify-center overflow-hidden">
      <Stage source="hand" name="" className="h-full w-full" />
      <div className="pointer-events-none absolute inset-0 flex items-center justify-center" style={{ clipPath: beyond(wipe, angle) }}>
        <Stage source="beside" name="" className="h-full w-full" />
      </div>
      <div
        role="slider"
        tabIndex={0}
        aria-label="Line between the two pictures"
        aria-valuenow={Math.round(wipe * 100)}
        aria-valuetext={`${Math.round(wipe * 100)} % across, turned by ${angle} degrees`}
        title="Drag it; with Shift it turns"
        data-wipe
        onPointerDown={drag}
        onKeyDown={keys}
        className="absolute h-[200%] w-3 cursor-ew-resize"
        style={{ left: `${lx * 100}%`, top: `${ly * 100}%`, transform: `translate(-50%, -50%) rotate(${angle}deg)` }}
      >
        <div className="mx-auto h-full w-px bg-lantern" />
      </div>
    </div>
  );
}
