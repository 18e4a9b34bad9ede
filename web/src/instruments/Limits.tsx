/** Limits of the signal. */
import { useEffect, useState } from "react";
import { preview } from "../preview/preview";
import { useSession } from "../session/session";
import { type Mode, type Scope, type Source, sourcesOf } from "./counts";

/** Shares of pixels at and beyond the limits, of the frame or of the drawn area. Those of the shot beside stand under the same titles. */
function Limits({ source }: { source: Source }) {
  const area = useSession((s) => s.scopes?.r103_area ?? 0.01);
  const [shares, setShares] = useState<number[] | null>(null);
  useEffect(() => {
    const from = source === "hand" ? preview.counted : preview.besides;
    return from.add((frame) => frame.limits && setShares([...frame.limits]));
  }, [source]);
  if (!shares) return null;
  const [black = 0, white = 0, gamut = 0, beyond = 0] = shares;
  const say = (v: number) => `${(v * 100).toFixed(v > 0 && v < 0.1 ? 2 : 1)} %`;
  const rows: { id: string; title: string; more?: string; value: number; bad: boolean }[] = [
    { id: "black", title: "at 0 %", value: black, bad: false },
    { id: "white", title: "at 100 %", value: white, bad: false },
    { id: "gamut", title: "out of gamut", value: gamut, bad: false },
    { id: "r103", title: "outside EBU R 103", more: "Outside of the limits of EBU R 103", value: beyond, bad: beyond > area },
  ];
  return (
    <dl className={`col-span-2 grid grid-cols-[1fr_1fr_1fr_auto] gap-x-2 ${source === "beside" ? "-mt-1.5" : ""}`} aria-label={source === "hand" ? "Limits" : "Limits of the shot beside"}>
      {rows.map((r) => (
        <div key={r.id} className="flex flex-col" data-limit={source === "hand" ? r.id : undefined}>
          <dt className={source === "hand" ? "truncate text-faint" : "sr-only"} title={r.more}>{r.title}</dt>
          <dd className={`text-value ${r.bad ? "text-alarm" : "text-text"}`}>{say(r.value)}</dd>
        </div>
      ))}
    </dl>
  );
}

function Panel({ mode }: { mode: Mode }) {
  return sourcesOf(mode).map((s) => <Limits key={s} source={s} />);
}

export const limits: Scope = { id: "limits", places: ["balance"], asks: () => ({ limits: true }), Panel };
