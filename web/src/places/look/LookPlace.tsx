/** The Look place: path, picture, selected step, instruments and shots, all at once. */
import { Scopes } from "../../instruments/Scopes";
import { Picture } from "../../picture/Picture";
import { useSession } from "../../session/session";
import { useWork } from "../../document/work";
import { NoLook } from "./NoLook";
import { PathPanel } from "./PathPanel";
import { Row } from "./Row";
import { StepPanel } from "./StepPanel";

export function LookPlace() {
  const shelf = useSession((s) => s.shelf);
  const none = useWork((s) => s.document === null);
  return (
    <main className="flex min-w-0 flex-1 flex-col max-[900px]:overflow-y-auto">
      <div className="flex min-h-0 flex-1 max-[900px]:flex-none max-[900px]:flex-col">
        <PathPanel />
        <div className="flex min-w-0 flex-1 flex-col gap-1.5 px-3 pt-3 pb-2 max-[900px]:order-first max-[900px]:flex-none">
          <Picture />
          {none ? <NoLook /> : <StepPanel />}
        </div>
        <Scopes className={shelf ? "max-[1599px]:hidden" : ""} />
      </div>
      <Row />
    </main>
  );
}
