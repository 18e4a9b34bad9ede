/** Asks for a name. */
import { useId, useState } from "react";
import { Button, Dialog, TextField } from "./controls";
import { refusedName } from "./units";

export function NameDialog(props: {
  title: string;
  /** What is named, for the field. */
  label: string;
  open: boolean;
  start: string;
  /** The button's words. */
  action: string;
  onClose: () => void;
  onDone: (text: string) => void;
}) {
  const [text, setText] = useState(props.start);
  const [wrong, setWrong] = useState("");
  const form = useId();
  return (
    <Dialog
      open={props.open}
      title={props.title}
      onClose={props.onClose}
      footer={
        <>
          <Button onClick={props.onClose}>Cancel</Button>
          <Button type="submit" form={form} kind="main">
            {props.action}
          </Button>
        </>
      }
    >
      <form
        id={form}
        className="flex flex-col gap-1.5"
        onSubmit={(e) => {
          e.preventDefault();
          const why = refusedName(text);
          setWrong(why);
          if (!why) props.onDone(text.trim());
        }}
      >
        <TextField label={props.label} placeholder={props.label} aria-invalid={wrong !== ""} autoFocus value={text} onChange={(e) => setText(e.target.value)} />
        {wrong && (
          <p role="alert" className="text-alarm">
            {wrong}
          </p>
        )}
      </form>
    </Dialog>
  );
}
