/** The Look place: path, picture, step in hand, instruments and shots, all at once. */
import { Scopes } from "../../instruments/Scopes";
import { Picture } from "../../picture/Picture";
import { PathPanel } from "./PathPanel";
import { Row } from "./Row";
import { StepPanel } from "./StepPanel";

export function LookPlace() {
  return (
    <main className="flex min-h-0 flex-1 flex-col">
      <div className="flex min-h-0 flex-1">
        <PathPanel />
        <div className="flex min-w-0 flex-1 flex-col gap-1.5 px-3 pt-3 pb-2">
          <Picture />
          <StepPanel />
        </div>
        <Scopes />
      </div>
      <Row />
    </main>
  );
}
