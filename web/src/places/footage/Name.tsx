/** A name that is changed in place. */
import { say } from "../../session/session";
import { TextField } from "../../ui/controls";
import { refusedName } from "../../ui/units";

export function Name({ label, value, wide, onChange }: { label: string; value: string; wide?: boolean; onChange: (name: string) => void }) {
  return (
    <TextField
      key={value}
      label={label}
      defaultValue={value}
      onBlur={(e) => {
        const name = e.target.value.trim();
        const why = refusedName(name);
        if (why) say(`“${value}” keeps its name. ${why}`);
        if (!why && name !== value) onChange(name);
        else e.target.value = value;
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") {
          e.currentTarget.value = value;
          e.currentTarget.blur();
        }
        e.stopPropagation();
      }}
      title={value}
      className={`border-transparent bg-transparent px-0.5 hover:border-edge focus:bg-pit ${wide ? "w-44" : "min-w-0 flex-1 text-label!"}`}
    />
  );
}
