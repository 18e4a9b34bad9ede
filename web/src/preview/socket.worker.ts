/**
 * The preview's socket in a thread of its own. Two megabytes come through a pipe that holds a fraction of them: on
 * the page's own thread it would stand still whenever the page draws.
 */
export type ToSocket = { open: string } | { send: string };
export type FromSocket = { state: "open" | "closed" } | { text: string } | { bytes: ArrayBuffer };

const scope = self as unknown as {
  onmessage: ((event: MessageEvent<ToSocket>) => void) | null;
  postMessage: (message: FromSocket, transfer?: Transferable[]) => void;
};
let socket: WebSocket | null = null;

function open(address: string): void {
  socket = new WebSocket(address);
  socket.binaryType = "arraybuffer";
  socket.onopen = () => scope.postMessage({ state: "open" });
  socket.onclose = () => {
    socket = null;
    scope.postMessage({ state: "closed" });
  };
  socket.onmessage = (event: MessageEvent<ArrayBuffer | string>) => {
    if (typeof event.data === "string") scope.postMessage({ text: event.data });
    else scope.postMessage({ bytes: event.data }, [event.data]);
  };
}

scope.onmessage = (event) => {
  if ("open" in event.data) open(event.data.open);
  else if (socket?.readyState === WebSocket.OPEN) socket.send(event.data.send);
};
