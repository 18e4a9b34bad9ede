/** The row of shots: small live pictures of every shot under the same look. */
import { memo, useEffect, useRef } from "react";
import type { Shot } from "../../data/client";
import { Thumb } from "../../picture/Thumb";
import { Raw } from "../../picture/Raw";
import { scrollIntoBox } from "../../ui/scroll";
import { isInterpreted, rowOf, useSession } from "../../session/session";

export function Row() {
  const production = useSession((s) => s.production);
  const inHand = useSession((s) => s.shot);
  const row = useRef<HTMLElement>(null);
  const shots = rowOf(production);
  // The one in hand is in sight, wherever it was taken from.
  useEffect(() => {
    const own = row.current?.querySelector("[aria-current=true]");
    if (row.current && own) scrollIntoBox(row.current, own);
  }, [inHand]);
  return (
    <section ref={row} aria-label="Shots" className="flex min-h-[106px] shrink-0 gap-1.5 overflow-x-auto overflow-y-hidden border-t border-pit bg-room px-3 pt-2">
      {shots.map((shot, i) => (
        <Small key={shot.id} shot={shot} index={i} current={shot.id === inHand} />
      ))}
      {shots.length === 0 && <p className="self-center text-faint">No shots yet. Bring pictures in, in Footage.</p>}
    </section>
  );
}

/** A shot in the row; there may be hundreds. */
const Small = memo(function Small({ shot, index, current }: { shot: Shot; index: number; current: boolean }) {
  return (
    <button type="button" aria-current={current} onClick={() => useSession.getState().show(shot.id)} className="flex flex-col gap-1 text-left">
      <span className={`relative block border-2 ${current ? "border-lantern" : "border-transparent"}`}>
        <Thumb index={index} className="h-[69px] w-[124px] object-contain" />
        {!isInterpreted(shot) && <Raw />}
      </span>
      <span className={`w-[126px] truncate ${current ? "text-bright" : "text-dim"}`}>{shot.name}</span>
    </button>
  );
});
