/** Steps that are a handful of values: Gel, Channel mix, Colour compress, Levels, Slope/offset/power. */
import { useRef, useState } from "react";
import { api, type CorrectionLine, type KindInfo, type Step } from "../data/client";
import { useInstruments } from "../session/instruments";
import { say, told } from "../session/session";
import { setValues } from "../document/work";
import { Button, Dialog, FileInput, Menu } from "../ui/controls";
import { offer } from "../ui/offer";
import { TonePlot } from "./TonePlot";
import { fieldsOf, Numbers, SwitchField, Switches } from "./values";

type Of<K extends Step["kind"]> = { step: Extract<Step, { kind: K }>; info: KindInfo };

const CHANNELS = ["red", "green", "blue"] as const;
const DOTS = { red: "bg-red", green: "bg-green", blue: "bg-blue" };

function Dot({ channel }: { channel: (typeof CHANNELS)[number] }) {
  return <span aria-hidden className={`inline-block h-2 w-2 rounded-full ${DOTS[channel]}`} />;
}

export function GelBody({ step, info }: Of<"gel">) {
  // The filter's own colour, roughly, on the colour-difference plane.
  const a = (step.values.hue * Math.PI) / 180;
  const [cb, cr] = [Math.cos(a) * 0.3 * step.values.density, Math.sin(a) * 0.3 * step.values.density];
  const rgb = [0.75 + 1.5748 * cr, 0.75 - 0.1873 * cb - 0.4681 * cr, 0.75 + 1.8556 * cb];
  return (
    <div className="flex w-full items-start gap-6 pt-2">
      <span
        aria-hidden
        className="h-24 w-24 rounded border border-edge"
        style={{ background: `rgb(${rgb.map((v) => Math.round(Math.min(1, Math.max(0, v)) * 255)).join(" ")})` }}
      />
      <div className="grid flex-1 grid-cols-2 gap-x-6 gap-y-3">
        <Numbers step={step} fields={info.fields} />
        <Switches step={step} fields={info.fields} />
      </div>
    </div>
  );
}

/** The two channels that a swap exchanges. */
const SWAPS = [
  ["red", "green"],
  ["green", "blue"],
  ["red", "blue"],
] as const;

export function MixBody({ step, info }: Of<"channel-mix">) {
  const values = step.values as unknown as Record<string, number>;
  const swap = ([a, b]: (typeof SWAPS)[number]) => {
    const next: Record<string, number> = {};
    for (const from of CHANNELS) {
      next[`${a}_${from}`] = values[`${b}_${from}`] ?? 0;
      next[`${b}_${from}`] = values[`${a}_${from}`] ?? 0;
    }
    setValues(step.id, `Swap ${a} and ${b}`, next);
  };
  return (
    <>
      <div className="flex min-w-0 flex-1 flex-col gap-1">
        {CHANNELS.map((to) => (
          <div key={to} role="group" aria-label={`${to} from`} className="grid grid-cols-[86px_1fr_1fr_1fr] items-center gap-x-4">
            <span className="flex items-center gap-1.5 whitespace-nowrap text-bright">
              <Dot channel={to} /> {to} from
            </span>
            <Numbers
              step={step}
              fields={fieldsOf(info.fields, ...CHANNELS.map((from) => `${to}_${from}`))}
              labels={Object.fromEntries(CHANNELS.map((from) => [`${to}_${from}`, from]))}
            />
          </div>
        ))}
        <div className="mt-auto flex items-center gap-1">
          <span className="text-faint">swap</span>
          {SWAPS.map((s) => (
            <Button key={s.join()} kind="quiet" onClick={() => swap(s)}>
              {s[0]} ↔ {s[1]}
            </Button>
          ))}
        </div>
      </div>
      <div className="flex w-[190px] flex-col gap-1">
        <Switches step={step} fields={info.fields} />
        <Numbers step={step} fields={fieldsOf(info.fields, "filter_hue", "filter_density")} />
      </div>
    </>
  );
}

const FAMILIES = ["cyan", "magenta", "yellow"];

export function CompressBody({ step, info }: Of<"colour-compress">) {
  const show = useInstruments((s) => s.show);
  const set = useInstruments((s) => s.set);
  return (
    <>
      <div className="grid flex-1 grid-cols-2 content-start gap-x-6 gap-y-1">
        {FAMILIES.map((c) => (
          <Numbers key={c} step={step} fields={fieldsOf(info.fields, `${c}_threshold`, `${c}_limit`)} />
        ))}
        <Numbers step={step} fields={fieldsOf(info.fields, "power")} />
      </div>
      <div className="flex w-[190px] flex-col gap-1">
        <SwitchField
          title="Show what is out of gamut"
          help="Stripes on what the display cannot show and on what is clipped"
          on={show === "marks"}
          onChange={() => set({ show: show === "marks" ? "picture" : "marks" })}
        />
        <Switches step={step} fields={info.fields} />
        {step.values.cap && <Numbers step={step} fields={fieldsOf(info.fields, "peak", "knee")} />}
      </div>
    </>
  );
}

const LEVELS = ["in_black", "in_white", "middle", "out_black", "out_white"];
const LEVEL_NAMES = ["in black", "in white", "middle", "out black", "out white"];

export function LevelsBody({ step, info }: Of<"levels">) {
  return (
    <>
      <div className="flex min-w-0 flex-1 @max-[560px]:hidden">
        <TonePlot zone={step.zone} />
      </div>
      <div className="grid w-[420px] grid-cols-4 content-start gap-x-4 overflow-y-auto pr-1">
        {(["", ...CHANNELS] as const).map((channel) => (
          <div key={channel} role="group" aria-label={channel || "all channels"}>
            <div className="flex h-5 items-center gap-1.5 text-bright">
              {channel ? <Dot channel={channel} /> : null} {channel || "all"}
            </div>
            <Numbers
              step={step}
              fields={fieldsOf(info.fields, ...LEVELS.map((l) => (channel ? `${channel}_${l}` : l)))}
              labels={Object.fromEntries(LEVELS.map((l, i) => [channel ? `${channel}_${l}` : l, LEVEL_NAMES[i] ?? l]))}
            />
          </div>
        ))}
      </div>
    </>
  );
}

const SOP = ["slope", "offset", "power"];

export function SlopeBody({ step, info }: Of<"slope-offset-power">) {
  const file = useRef<HTMLInputElement>(null);
  const [found, setFound] = useState<CorrectionLine[]>([]);
  const take = (c: CorrectionLine) => {
    setFound([]);
    setValues(step.id, `Import ${c.id || "correction"}`, { ...c.values, clamp: step.values.clamp });
    say(`${c.id ? `“${c.id}”` : "The correction"} is in the step: slope, offset, power and saturation`);
  };
  const bring = async (chosen: File) => {
    try {
      const all = await api.readCorrections(chosen);
      const [first, ...more] = all;
      if (first && more.length === 0) take(first);
      else setFound(all);
    } catch (e) {
      say(e);
    }
  };
  const write = (form: string) => {
    api
      .writeCorrections(form, [{ id: step.name, values: step.values }])
      .then((text) => offer(`${step.name}.${form}`, "application/xml", text))
      .catch(say);
  };
  return (
    <>
      <div className="flex min-w-0 flex-1 @max-[560px]:hidden">
        <TonePlot zone={step.zone} />
      </div>
      <div className="flex w-[400px] flex-col">
        <div className="grid grid-cols-3 gap-x-4">
          {CHANNELS.map((c) => (
            <div key={c} role="group" aria-label={c}>
              <div className="flex h-5 items-center gap-1.5 text-bright">
                <Dot channel={c} /> {c}
              </div>
              <Numbers
                step={step}
                fields={fieldsOf(info.fields, ...SOP.map((p) => `${c}_${p}`))}
                labels={Object.fromEntries(SOP.map((p) => [`${c}_${p}`, p]))}
              />
            </div>
          ))}
          <Numbers step={step} fields={fieldsOf(info.fields, "saturation")} />
        </div>
        <div className="mt-auto flex items-center gap-2">
          <Switches step={step} fields={info.fields} />
          <span className="flex-1" />
          <FileInput ref={file} label="Colour decision list" accept=".cc,.ccc,.cdl" onFile={(chosen) => told(bring(chosen))} />
          <Button onClick={() => file.current?.click()}>Import…</Button>
          <Menu
            trigger={<Button>Export ▾</Button>}
            items={["cc", "ccc", "cdl"].map((form) => ({ label: `.${form}`, run: () => write(form) }))}
          />
        </div>
      </div>
      <Dialog open={found.length > 0} title={`${found.length} corrections in this file`} onClose={() => setFound([])}>
        <ul className="flex max-h-72 flex-col gap-1 overflow-y-auto">
          {found.map((c, i) => (
            <li key={i}>
              <Button className="w-full text-left" onClick={() => take(c)}>
                {c.id || `correction ${i + 1}`}
              </Button>
            </li>
          ))}
        </ul>
      </Dialog>
    </>
  );
}
