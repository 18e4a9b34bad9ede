/** The instruments: one set of scopes for the whole app, of the picture as it is delivered. */
import { useInstruments } from "../session/instruments";
import { Button } from "../ui/controls";
import { Patches } from "./Patches";
import { scopesOf } from "./registry";

/** The two that are always open beside a look. */
export function Scopes({ className = "" }: { className?: string }) {
  return (
    <aside aria-label="Scopes" className={`flex w-[312px] shrink-0 flex-col gap-2 overflow-hidden bg-wall p-3 max-[1150px]:w-[256px] max-[1150px]:px-2 max-[900px]:h-[560px] max-[900px]:w-full ${className}`}>
      <WholeFrame />
      <Patches />
      {scopesOf("look").map(({ id, Panel }) => (
        <Panel key={id} mode="narrow" />
      ))}
    </aside>
  );
}

/** Says that the scopes are held to an area, and lets them go. */
function WholeFrame() {
  const drawn = useInstruments((s) => s.area !== null || s.areaBeside !== null);
  const set = useInstruments((s) => s.set);
  if (!drawn) return null;
  return (
    <Button className="shrink-0 text-lantern" title="Esc" data-whole-frame onClick={() => set({ area: null, areaBeside: null })}>
      Scopes of the drawn area: back to the whole frame
    </Button>
  );
}

/** All of them; of two shots on the same axes where one stands beside the other. */
export function AllScopes({ className = "" }: { className?: string }) {
  const two = useInstruments((s) => s.beside !== null);
  return (
    <aside aria-label="Scopes" className={`flex w-[432px] shrink-0 flex-col gap-2 overflow-y-auto bg-wall px-3 py-2 max-[1150px]:w-[340px] max-[900px]:w-full ${className}`}>
      <WholeFrame />
      <div className="grid grid-cols-2 gap-2">
        {scopesOf("balance").map(({ id, Panel }) => (
          <Panel key={id} mode={two ? "two" : "wide"} />
        ))}
      </div>
    </aside>
  );
}
