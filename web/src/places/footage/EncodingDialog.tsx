/** Saying how shots are encoded, with their pictures before and after. */
import { useState } from "react";
import { api, type Shot } from "../../api/client";
import { encodingName, encodingOptions } from "../../state/encodings";
import { attempt, shotsOf, useSession } from "../../state/session";
import { Button, Dialog } from "../../ui/controls";

/** The most shots whose pictures are shown; the rest change alike. */
const SHOWN = 3;

export function EncodingDialog({ shots, onClose }: { shots: string[]; onClose: () => void }) {
  const production = useSession((s) => s.production);
  const shipped = useSession((s) => s.encodings);
  const found = shotsOf(production).filter((s) => shots.includes(s.id));
  const first = found[0];
  const [chosen, setChosen] = useState(first?.encoding ?? "");
  const options = [{ value: "", label: "not known" }, ...encodingOptions(production, shipped)];
  const name = found.length === 1 ? (first?.name ?? "") : `${found.length} shots`;
  const apply = async () => {
    const done = await attempt(async () => {
      for (const s of found) await api.editShot(s.id, { encoding: chosen });
    });
    if (done) onClose();
  };
  return (
    <Dialog open wide title={`How is ${name} encoded?`} onClose={onClose}>
      <div className="flex gap-4">
        <div role="radiogroup" aria-label="Encoding" className="flex max-h-[380px] w-56 shrink-0 flex-col overflow-y-auto">
          {options.map((o) => (
            <button
              key={o.value}
              type="button"
              role="radio"
              aria-checked={chosen === o.value}
              title={shipped.find((e) => e.id === o.value)?.title}
              onClick={() => setChosen(o.value)}
              className={`shrink-0 truncate rounded px-2 py-1 text-left ${chosen === o.value ? "bg-edge text-bright" : "text-text hover:bg-shelf"}`}
            >
              {o.label}
            </button>
          ))}
        </div>
        <div className="min-w-0 flex-1">
          <p className="mb-2 line-clamp-2 text-dim">{first?.encoding_reason}</p>
          {found.slice(0, SHOWN).map((s) => (
            <div key={s.id} className="mb-2 grid grid-cols-2 gap-2">
              <Seen shot={s} encoding={s.encoding} title="now" label={s.encoding ? encodingName(production, s.encoding) : "not known"} />
              <Seen shot={s} encoding={chosen} title="then" label={chosen ? encodingName(production, chosen) : "not known"} />
            </div>
          ))}
          {found.length > SHOWN && <p className="text-faint">and {found.length - SHOWN} more</p>}
        </div>
      </div>
      <div className="mt-3 flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button kind="main" data-apply disabled={!chosen && !first?.encoding} onClick={() => void apply()}>
          {found.length === 1 ? "It is encoded so" : "They are encoded so"}
        </Button>
      </div>
    </Dialog>
  );
}

function Seen({ shot, encoding, title, label }: { shot: Shot; encoding: string; title: string; label: string }) {
  return (
    <figure className="min-w-0">
      {encoding && shot.frames > 0 ? (
        <img
          src={`/api/shots/${shot.id}/as?encoding=${encodeURIComponent(encoding)}&width=420`}
          alt={`${shot.name} ${title}, as ${label}`}
          data-seen={title}
          className="block w-full bg-pit"
        />
      ) : (
        <div className="flex aspect-video items-center justify-center bg-pit text-faint">cannot be shown</div>
      )}
      <figcaption className="truncate pt-0.5 text-faint">
        {title}: {label}
      </figcaption>
    </figure>
  );
}
