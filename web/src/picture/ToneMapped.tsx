/** Says that an HDR picture is shown by a tone map: what is seen is not what an HDR display would show. */
import { useHdrDisplays } from "../session/encodings";
import { useInstruments } from "../session/instruments";

export function ToneMapped() {
  const display = useInstruments((s) => s.display);
  const shown = useHdrDisplays().find((e) => e.id === display);
  if (!shown) return null;
  return (
    <p role="note" className="absolute bottom-1 left-2 z-10 rounded bg-pit/80 px-1.5 text-dim">
      {shown.name}, tone-mapped to this monitor
    </p>
  );
}
