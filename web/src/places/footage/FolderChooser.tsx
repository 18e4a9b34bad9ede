/** Bringing footage in from a folder on the server that the operator allowed. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../data/client";
import { attempt, told } from "../../session/session";
import { Button, Dialog } from "../../ui/controls";
import { counted } from "../../ui/units";

/** Names of the allowed folders. */
export function useFolders(): string[] {
  return useQuery({ queryKey: ["folders"], queryFn: api.folders, staleTime: Infinity }).data ?? [];
}

export function FolderChooser({ scene, roots, onClose }: { scene: string; roots: string[]; onClose: () => void }) {
  const [root, setRoot] = useState(0);
  const [parts, setParts] = useState<string[]>([]);
  const listing = useQuery({ queryKey: ["folder", root, parts], queryFn: () => api.listFolder(root, parts) });
  const groups = useQuery({
    queryKey: ["groups", listing.data?.files],
    queryFn: () => api.group(listing.data?.files ?? []),
    enabled: (listing.data?.files.length ?? 0) > 0,
  });
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const shots = listing.data?.files.length ? (groups.data ?? []) : [];
  const keyOf = (g: (typeof shots)[number]) => String(g.files[0]?.[0]);
  const go = (to: string[]) => {
    setParts(to);
    setChosen(new Set());
  };
  const flip = (key: string) => {
    const next = new Set(chosen);
    if (!next.delete(key)) next.add(key);
    setChosen(next);
  };
  const bring = async () => {
    const names = shots.filter((g) => chosen.has(keyOf(g))).flatMap((g) => g.files.map((f) => String(f[0])));
    if (await attempt(() => api.bringIn(scene, root, parts, names))) onClose();
  };
  return (
    <Dialog
      open
      title="Bring in from the server"
      onClose={onClose}
      footer={
        <>
          <Button kind="quiet" disabled={shots.length === 0} onClick={() => setChosen(new Set(shots.map(keyOf)))}>
            Select all
          </Button>
          <span className="flex-1" />
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="main" disabled={chosen.size === 0} onClick={() => told(bring())}>
            {chosen.size === 0 ? "Bring in" : `Bring in ${counted(chosen.size, "shot")}`}
          </Button>
        </>
      }
    >
      <nav aria-label="Folder" className="mb-2 flex flex-wrap items-center gap-1 text-dim">
        {roots.map((name, i) => (
          <Button key={name} kind="quiet" className={i === root ? "text-bright" : ""} onClick={() => { setRoot(i); go([]); }}>
            {name}
          </Button>
        ))}
        {parts.map((p, i) => (
          <Button key={`${p}${i}`} kind="quiet" onClick={() => go(parts.slice(0, i + 1))}>
            / {p}
          </Button>
        ))}
      </nav>
      <div className="min-h-24">
        {listing.isError && <p className="text-alarm">{listing.error.message}</p>}
        {listing.data?.folders.map((f) => (
          <button key={f} type="button" onClick={() => go([...parts, f])} className="block w-full rounded px-2 py-1 text-left hover:bg-shelf">
            {f} /
          </button>
        ))}
        {shots.map((g) => (
          <label key={keyOf(g)} className="flex h-6 items-center gap-2 px-2">
            <input type="checkbox" className="accent-lantern" checked={chosen.has(keyOf(g))} onChange={() => flip(keyOf(g))} />
            <span className="min-w-0 flex-1 truncate">{g.name}</span>
            <span className="text-faint">{g.sequence ? `${g.files.length} frames` : g.clip ? "clip" : "still"}</span>
          </label>
        ))}
        {listing.data && listing.data.folders.length + shots.length === 0 && <p className="text-faint">No readable pictures or clips in this folder.</p>}
      </div>
    </Dialog>
  );
}
