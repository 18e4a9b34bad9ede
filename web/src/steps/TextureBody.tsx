/** Texture: its values, and the ways to see it by itself. */
import { useEffect } from "react";
import type { KindInfo, Step } from "../data/client";
import { useInstruments, type Show } from "../session/instruments";
import { useSession } from "../session/session";
import { Button } from "../ui/controls";
import { Numbers } from "./values";

/** What a step can be seen as by itself. */
const ALONE: Record<string, { show: Show; label: string }> = {
  halation: { show: "halation", label: "halation alone" },
  grain: { show: "grain", label: "grain on grey" },
};

export function TextureBody({ step, info }: { step: Step; info: KindInfo }) {
  const show = useInstruments((s) => s.show);
  const loupe = useInstruments((s) => s.loupe);
  const set = useInstruments((s) => s.set);
  const reel = useSession((s) => s.reel);
  const alone = ALONE[step.kind];
  // Elsewhere the picture is the picture.
  useEffect(() => () => set({ show: "picture" }), [set]);
  return (
    <>
      <div className="flex w-[150px] flex-col gap-1.5">
        {alone && (
          <Button aria-pressed={show === alone.show} kind={show === alone.show ? "main" : "plain"} onClick={() => set({ show: show === alone.show ? "picture" : alone.show })}>
            {alone.label}
          </Button>
        )}
        <Button aria-pressed={loupe} kind={loupe ? "main" : "plain"} title="K" onClick={() => set({ loupe: !loupe })}>
          loupe, 1:1
        </Button>
        <Button aria-pressed={reel} kind={reel ? "main" : "plain"} title="P" onClick={() => useSession.getState().set({ reel: !reel })}>
          play with texture
        </Button>
        <p className="pt-1 leading-4 text-faint">Sizes are those on the film: the negative's frame width gives them their scale.</p>
      </div>
      <div className="grid min-w-0 flex-1 grid-cols-3 content-start gap-x-6 gap-y-1">
        <Numbers step={step} fields={info.fields} />
      </div>
    </>
  );
}
