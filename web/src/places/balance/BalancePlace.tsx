/** The Balance place: one shot large with all scopes, its trim, and the tools that bring it to a known state. */
import { AllScopes } from "../../instruments/Scopes";
import { Picture } from "../../picture/Picture";
import { PathPanel } from "../look/PathPanel";
import { Row } from "../look/Row";
import { StepPanel } from "../look/StepPanel";
import { useSession } from "../../session/session";
import { Button } from "../../ui/controls";
import { Toolbar } from "./Toolbar";

export function BalancePlace() {
  const shot = useSession((s) => s.shot);
  const shelf = useSession((s) => s.shelf);
  if (!shot) {
    return (
      <main className="flex flex-1 flex-col items-center justify-center gap-3 text-dim">
        <p>There is no shot to balance yet.</p>
        <Button kind="main" onClick={() => useSession.getState().set({ place: "footage" })}>
          Bring pictures in
        </Button>
      </main>
    );
  }
  return (
    <main className="flex min-w-0 flex-1 flex-col max-[900px]:overflow-y-auto">
      <div className="flex min-h-0 flex-1 max-[900px]:flex-none max-[900px]:flex-col">
        <PathPanel trim />
        <div className="flex min-w-0 flex-1 flex-col gap-1.5 px-2 pt-2 pb-2 max-[900px]:order-first max-[900px]:flex-none">
          <Picture />
          <Toolbar />
          <StepPanel />
        </div>
        <AllScopes className={shelf ? "max-[1599px]:hidden" : ""} />
      </div>
      <Row />
    </main>
  );
}
