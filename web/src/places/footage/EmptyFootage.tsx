/** What a production without pictures shows: one large place to bring them in. */
import { useRef, useState } from "react";
import { Button } from "../../ui/controls";
import { FolderChooser, useFolders } from "./FolderChooser";
import { sceneToSendTo, sendTo } from "../../intake/incoming";
import { told } from "../../session/session";

export function EmptyFootage() {
  const files = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const allowed = useFolders();
  const [choosing, setChoosing] = useState<string | null>(null);
  const chosen = (e: React.ChangeEvent<HTMLInputElement>) => {
    told(sendTo(null, [...(e.target.files ?? [])]));
    e.target.value = "";
  };
  return (
    <section
      aria-label="Bring footage in"
      className="flex min-h-[380px] flex-col items-center justify-center gap-4 rounded-lg border-2 border-dashed border-edge px-6 text-center"
    >
      <h2 className="text-[16px] text-bright">Drop pictures, sequences, clips or a folder here</h2>
      <p className="max-w-lg leading-5 text-dim">
        OpenEXR, DPX, TIFF, PNG and JPEG, and clips that ffmpeg reads. Numbered pictures become a sequence. The first scene is made for them.
      </p>
      <div className="flex flex-wrap justify-center gap-3">
        <Button kind="main" data-bring onClick={() => files.current?.click()}>
          Choose files…
        </Button>
        <Button onClick={() => folder.current?.click()}>Choose a folder…</Button>
        {allowed.length > 0 && <Button onClick={() => told(sceneToSendTo().then((scene) => setChoosing(scene)))}>From the server…</Button>}
      </div>
      <input ref={files} type="file" multiple tabIndex={-1} aria-label="Files" className="hidden" onChange={chosen} />
      <input
        ref={folder}
        type="file"
        multiple
        tabIndex={-1}
        aria-label="Folder"
        className="hidden"
        // React has no property for the folder chooser of the file system entries API.
        {...{ webkitdirectory: "" }}
        onChange={chosen}
      />
      {choosing && <FolderChooser scene={choosing} roots={allowed} onClose={() => setChoosing(null)} />}
    </section>
  );
}
