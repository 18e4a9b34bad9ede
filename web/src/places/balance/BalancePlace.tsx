/** The Balance place: one shot large with all scopes, its trim, and the tools that bring it to a known state. */
import { AllScopes } from "../../instruments/Scopes";
import { Picture } from "../../picture/Picture";
import { PathPanel } from "../look/PathPanel";
import { Row } from "../look/Row";
import { StepPanel } from "../look/StepPanel";
import { useSession } from "../../state/session";
import { Toolbar } from "./Toolbar";

export function BalancePlace() {
  const shot = useSession((s) => s.shot);
  if (!shot) {
    return (
      <main className="flex flex-1 items-center justify-center text-dim">
        There is no shot to balance yet. Bring pictures in and say how they are encoded, in Footage.
      </main>
    );
  }
  return (
    <main className="flex min-h-0 flex-1 flex-col">
      <div className="flex min-h-0 flex-1">
        <PathPanel trim />
        <div className="flex min-w-0 flex-1 flex-col gap-1.5 px-2 pt-2 pb-2">
          <Picture />
          <Toolbar />
          <StepPanel />
        </div>
        <AllScopes />
      </div>
      <Row />
    </main>
  );
}
