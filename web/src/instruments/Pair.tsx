/** A square scope of two shots, side by side. */
import type { Source } from "./counts";

export function Pair({ of: One }: { of: (props: { source: Source }) => React.ReactNode }) {
  return (
    <div className="grid grid-cols-2 justify-items-center gap-2 [&>*]:w-[168px]">
      <One source="hand" />
      <One source="beside" />
    </div>
  );
}
