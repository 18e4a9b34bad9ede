/** Buttons and menus: each Radix primitive is wrapped once here, and every place uses the wrapped one. */
import { Dialog as D, DropdownMenu as M, Select as S } from "radix-ui";
import { useRef, type ComponentProps, type ReactNode, type Ref } from "react";
import { layer, useFront } from "./layers";
import { scrollIntoBox } from "./scroll";

export function Button({ kind = "plain", ...rest }: ComponentProps<"button"> & { kind?: "plain" | "main" | "quiet" }) {
  const looks = {
    plain: "bg-shelf hover:bg-edge text-text",
    main: "bg-lantern hover:brightness-110 text-pit font-medium",
    quiet: "text-dim hover:text-bright aria-pressed:bg-shelf aria-pressed:text-bright",
  };
  return (
    <button
      type="button"
      {...rest}
      className={`h-6 rounded px-2 whitespace-nowrap disabled:opacity-40 ${looks[kind]} ${rest.className ?? ""}`}
    />
  );
}

export interface MenuItem {
  label: string;
  hint?: string;
  disabled?: boolean;
  /** It is the one that is open now: in sight when the menu opens. */
  current?: boolean;
  run: () => void;
}

type MenuItems = (MenuItem | null)[];

/** A menu. Where its items take work, a function gives them when it opens. */
export function Menu({ trigger, items }: { trigger: ReactNode; items: MenuItems | (() => MenuItems) }) {
  const chosen = useRef<(() => void) | null>(null);
  return (
    <M.Root>
      <M.Trigger asChild>{trigger}</M.Trigger>
      <M.Portal container={layer()}>
        <M.Content
          sideOffset={4}
          collisionPadding={8}
          className="z-50 max-h-[min(70vh,var(--radix-dropdown-menu-content-available-height))] min-w-44 max-w-[90vw] overflow-y-auto rounded border border-edge bg-shelf p-1 text-label text-text shadow-lg"
          // What was chosen runs once the focus is back on the trigger: a dialog that it opens gives the focus back there.
          onCloseAutoFocus={() => {
            const run = chosen.current;
            chosen.current = null;
            if (run) window.setTimeout(run);
          }}
        >
          <Items items={items} choose={(run) => (chosen.current = run)} />
        </M.Content>
      </M.Portal>
    </M.Root>
  );
}

/** Brings what is open now into sight, once the list has its place. */
function seen(item: HTMLElement | null): void {
  const list = item?.closest("[role=menu]");
  if (item && list) requestAnimationFrame(() => scrollIntoBox(list, item));
}

function Items({ items, choose }: { items: MenuItems | (() => MenuItems); choose: (run: () => void) => void }) {
  const front = useRef<HTMLSpanElement>(null);
  useFront(front);
  return [<span key="front" ref={front} hidden />, ...(typeof items === "function" ? items() : items).map((item, i) =>
    item ? (
      <M.Item
        key={`${item.label} ${i}`}
        ref={item.current ? seen : undefined}
        disabled={item.disabled}
        onSelect={() => choose(item.run)}
        className="flex justify-between gap-6 rounded px-2 py-1 outline-none data-[disabled]:opacity-40 data-[highlighted]:bg-edge data-[highlighted]:text-bright"
      >
        <span>{item.label}</span>
        <span className="text-faint">{item.hint}</span>
      </M.Item>
    ) : (
      <M.Separator key={i} className="my-1 h-px bg-edge" />
    ),
  )];
}

/** Stands in what is open over the page; see [useFront]. */
function Front() {
  const front = useRef<HTMLSpanElement>(null);
  useFront(front);
  return <span ref={front} hidden />;
}

export function Choice({
  name,
  value,
  options,
  disabled = false,
  onChange,
}: {
  name: string;
  value: string;
  options: { value: string; label: string }[];
  disabled?: boolean;
  onChange: (value: string) => void;
}) {
  return (
    <S.Root value={value} disabled={disabled} onValueChange={onChange}>
      <S.Trigger
        aria-label={name}
        className="flex h-6 min-w-0 items-center justify-between gap-2 rounded bg-shelf px-2 text-value hover:bg-edge"
      >
        <span className="truncate">
          <S.Value />
        </span>
        <S.Icon className="text-faint">▾</S.Icon>
      </S.Trigger>
      <S.Portal container={layer()}>
        <S.Content
          position="popper"
          sideOffset={4}
          collisionPadding={8}
          className="z-50 flex max-h-[min(60vh,var(--radix-select-content-available-height))] max-w-[90vw] flex-col rounded border border-edge bg-shelf p-1 shadow-lg"
        >
          <Front />
          <S.Viewport className="min-h-0">
            {options.map((o) => (
              <S.Item
                key={o.value}
                value={o.value}
                className="rounded px-2 py-1 text-label outline-none data-[highlighted]:bg-edge data-[highlighted]:text-bright data-[state=checked]:text-lantern"
              >
                <S.ItemText>{o.label}</S.ItemText>
              </S.Item>
            ))}
          </S.Viewport>
        </S.Content>
      </S.Portal>
    </S.Root>
  );
}

/** What had the focus last outside of dialogs and menus: it has it again once a dialog is closed. */
let outside: HTMLElement | null = null;
if (typeof document !== "undefined") {
  document.addEventListener("focusin", (e) => {
    if (e.target instanceof HTMLElement && !e.target.closest("[role=dialog], [role=menu], [data-radix-focus-guard]")) outside = e.target;
  });
}

export function Dialog({
  open,
  title,
  wide = false,
  reading = false,
  footer,
  onClose,
  children,
}: {
  open: boolean;
  title: string;
  wide?: boolean;
  /** There is nothing in it but text: it scrolls by keys. */
  reading?: boolean;
  /** Its buttons, which stay in sight however long the rest is. */
  footer?: ReactNode;
  onClose: () => void;
  children: ReactNode;
}) {
  return (
    <D.Root open={open} onOpenChange={(o) => !o && onClose()}>
      <D.Portal>
        <D.Overlay className="fixed inset-0 z-30 bg-pit/60" />
        <D.Content
          aria-describedby={undefined}
          onCloseAutoFocus={(e) => {
            e.preventDefault();
            if (outside?.isConnected) outside.focus();
          }}
          className={`fixed inset-x-4 top-[7vh] z-40 mx-auto flex max-h-[86vh] flex-col rounded-md border border-edge bg-wall shadow-xl ${wide ? "max-w-[900px]" : "max-w-[420px]"}`}
        >
          <Front />
          <D.Title className="truncate px-4 pt-3.5 pb-2.5 text-value text-bright">{title}</D.Title>
          <div tabIndex={reading ? 0 : undefined} className="min-h-0 flex-1 overflow-y-auto px-4 pt-0.5 pb-4">
            {children}
          </div>
          {footer && <footer className="flex flex-wrap items-center justify-end gap-2 border-t border-shelf px-4 py-3">{footer}</footer>}
        </D.Content>
      </D.Portal>
    </D.Root>
  );
}

/** Asks before something goes, and says what goes with it. */
export function Confirm({ open, title, action, onClose, onDone, children }: { open: boolean; title: string; action: string; onClose: () => void; onDone: () => void; children: ReactNode }) {
  return (
    <Dialog
      open={open}
      title={title}
      onClose={onClose}
      footer={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            kind="main"
            onClick={() => {
              onDone();
              onClose();
            }}
          >
            {action}
          </Button>
        </>
      }
    >
      <p className="leading-5 text-dim">{children}</p>
    </Dialog>
  );
}

export function TextField({ label, ...rest }: ComponentProps<"input"> & { label: string }) {
  return (
    <input
      aria-label={label}
      {...rest}
      className={`h-6 rounded border border-edge bg-pit px-2 aria-invalid:border-alarm text-value text-bright select-text ${rest.className ?? ""}`}
    />
  );
}

/** A chooser of a file, or of several, opened by a button through its ref; the same file can be chosen again. */
export function FileInput({ label, accept, ref, multiple = false, onFile, onFiles }: { label: string; accept: string; ref: Ref<HTMLInputElement>; multiple?: boolean; onFile?: (file: File) => void; onFiles?: (files: File[]) => void }) {
  return (
    <input
      ref={ref}
      type="file"
      accept={accept}
      aria-label={label}
      multiple={multiple}
      tabIndex={-1}
      className="sr-only"
      onChange={(e) => {
        const files = [...(e.target.files ?? [])];
        files.forEach((file) => onFile?.(file));
        if (files.length > 0) onFiles?.(files);
        e.target.value = "";
      }}
    />
  );
}
