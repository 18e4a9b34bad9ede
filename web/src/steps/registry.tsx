/** The panel of each kind of step that has one of its own. All others show their parameters as numbers. */
import type { ComponentType } from "react";
import type { KindInfo, Step } from "../data/client";
import { BalanceBody } from "./BalanceBody";
import { CompressBody, GelBody, LevelsBody, MixBody, SlopeBody } from "./ColourBodies";
import { CurvesBody, SaturationBody } from "./CurvesBody";
import { FamiliesBody } from "./FamiliesBody";
import { NegativeBody } from "./film/NegativeBody";
import { PrintBody } from "./film/PrintBody";
import { HueBody } from "./HueBody";
import { TableBody } from "./TableBody";
import { TextureBody } from "./TextureBody";
import { TintBody } from "./TintBody";
import { ToneBody } from "./ToneBody";
import { Numbers } from "./values";

type Panel<K extends Step["kind"]> = ComponentType<{ step: Extract<Step, { kind: K }>; info: KindInfo }>;

const PANELS: { [K in Step["kind"]]?: Panel<K> } = {
  balance: BalanceBody,
  gel: GelBody,
  "channel-mix": MixBody,
  "colour-compress": CompressBody,
  tone: ToneBody,
  levels: LevelsBody,
  "slope-offset-power": SlopeBody,
  "tone-tint": TintBody,
  curves: CurvesBody,
  "hue-curves": HueBody,
  "colour-families": FamiliesBody,
  saturation: SaturationBody,
  table: TableBody,
  negative: NegativeBody,
  print: PrintBody,
};

/** What is edited of a step. */
export function StepBody({ step, info }: { step: Step; info: KindInfo }) {
  // A kind's panel takes the steps of that kind.
  const Own = PANELS[step.kind] as ComponentType<{ step: Step; info: KindInfo }> | undefined;
  if (Own) return <Own step={step} info={info} />;
  if (info.picture_only) return <TextureBody step={step} info={info} />;
  return (
    <div className="grid w-full grid-cols-3 content-start gap-x-6 gap-y-2">
      <Numbers step={step} fields={info.fields} />
    </div>
  );
}
