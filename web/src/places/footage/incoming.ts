/** Files on their way in: one after the other, each with its progress, each can be stopped. */
import { create } from "zustand";
import { refreshProduction } from "../../state/session";

export interface Incoming {
  id: number;
  name: string;
  /** Share sent, 0..1. */
  sent: number;
  failure: string;
  stop: () => void;
}

interface Uploads {
  list: Incoming[];
  send: (scene: string, files: File[]) => Promise<void>;
  dismiss: (id: number) => void;
}

let next = 0;

export const useIncoming = create<Uploads>((set, get) => {
  const change = (id: number, part: Partial<Incoming>) =>
    set({ list: get().list.map((u) => (u.id === id ? { ...u, ...part } : u)) });
  const dismiss = (id: number) => set({ list: get().list.filter((u) => u.id !== id) });

  /** Sends one file; resolves when it is in, was refused or was stopped. */
  function sendOne(scene: string, file: File, id: number): Promise<void> {
    return new Promise((resolve) => {
      // fetch does not tell how much was sent.
      const request = new XMLHttpRequest();
      request.open("POST", `/api/scenes/${scene}/shots?name=${encodeURIComponent(file.name)}`);
      request.upload.onprogress = (e) => change(id, { sent: e.loaded / Math.max(1, e.total) });
      request.onload = () => {
        if (request.status < 300) dismiss(id);
        else change(id, { failure: detailOf(request.responseText) });
        resolve();
      };
      request.onerror = () => {
        change(id, { failure: `“${file.name}”: the server does not answer; send it again` });
        resolve();
      };
      request.onabort = () => {
        dismiss(id);
        resolve();
      };
      change(id, { stop: () => request.abort() });
      request.send(file);
    });
  }

  return {
    list: [],
    dismiss,
    send: async (scene, files) => {
      const fresh = files.map((file) => ({ file, id: next++ }));
      const waiting = fresh.map(({ file, id }) => ({ id, name: file.name, sent: 0, failure: "", stop: () => dismiss(id) }));
      set({ list: [...get().list, ...waiting] });
      for (const { file, id } of fresh) {
        // One that was stopped while it waited is not in the list any more.
        if (!get().list.some((u) => u.id === id)) continue;
        await sendOne(scene, file, id);
        await refreshProduction();
      }
    },
  };
});

function detailOf(text: string): string {
  try {
    return (JSON.parse(text) as { detail?: string }).detail ?? text;
  } catch {
    return "the server refused this file";
  }
}
