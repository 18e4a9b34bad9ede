/** The row of shots: small live pictures of every shot under the same look. */
import { Thumb } from "../../picture/Thumb";
import { Raw } from "../../picture/Raw";
import { isInterpreted, rowOf, useSession } from "../../session/session";

export function Row() {
  const production = useSession((s) => s.production);
  const inHand = useSession((s) => s.shot);
  const show = useSession((s) => s.show);
  const shots = rowOf(production);
  return (
    <section aria-label="Shots" className="flex h-[106px] shrink-0 gap-1.5 overflow-x-auto overflow-y-hidden border-t border-pit bg-room px-3 pt-2">
      {shots.map((shot, i) => (
        <button
          key={shot.id}
          type="button"
          aria-current={shot.id === inHand}
          onClick={() => show(shot.id)}
          className="flex flex-col gap-1 text-left"
        >
          <span className={`relative block border-2 ${shot.id === inHand ? "border-lantern" : "border-transparent"}`}>
            <Thumb index={i} className="h-[69px] w-[124px] object-contain" />
            {!isInterpreted(shot) && <Raw />}
          </span>
          <span className={`w-[126px] truncate ${shot.id === inHand ? "text-bright" : "text-dim"}`}>{shot.name}</span>
        </button>
      ))}
      {shots.length === 0 && <p className="self-center text-faint">No shots yet. Bring pictures in, in Footage.</p>}
    </section>
  );
}
