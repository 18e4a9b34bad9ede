/** The legend of false colour: its bands over stops from middle grey. */
import { useSession } from "../session/session";

export function Legend() {
  const bands = useSession((s) => s.scopes?.bands) ?? [];
  return (
    <ol aria-label="Stops from middle grey" className="absolute inset-x-2 top-1 z-10 flex rounded bg-pit/80 px-1 pt-1 pb-0.5">
      {bands.map((b, i) => {
        const from = b.from ?? null;
        const to = bands[i + 1]?.from ?? null;
        const middle = from === null || to === null ? null : (from + to) / 2;
        const name = from === null ? "<" : to === null ? ">" : Math.abs(middle ?? 0) < 0.01 ? "grey" : middle && Math.abs(middle) < 0.4 ? "" : String(Math.round(middle ?? 0)).replace("-", "−");
        return (
          <li key={i} className="flex flex-1 flex-col items-center" title={`${from ?? "under"} to ${to ?? "over"} stops`}>
            <span className="h-2 w-full" style={{ background: `rgb(${b.colour.join(" ")})` }} />
            <span className="text-[10px] text-dim">{name}</span>
          </li>
        );
      })}
    </ol>
  );
}
