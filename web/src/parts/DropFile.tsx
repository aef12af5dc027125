import { type DragEvent, type ReactNode, useState } from "react";

interface Props {
  /** What the file field is for, to those who hear it. */
  label: string;
  accept: string;
  take: (file: File | undefined) => void;
  /** What kind of file is wanted, and what becomes of it. */
  children: ReactNode;
}

/** A place to drop a file on, or to choose it. */
export function DropFile({ label, accept, take, children }: Props) {
  const [over, setOver] = useState(false);
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    take(event.dataTransfer.files[0]);
  };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: a place to drop on; the field inside does the same by keyboard
    <div
      className={over ? "drop-file over" : "drop-file"}
      data-needs="edit"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      {children}
      <label className="plain-link">
        Choose the file
        <input
          type="file"
          accept={accept}
          aria-label={label}
          onChange={(event) => {
            take(event.target.files?.[0]);
            event.target.value = "";
          }}
        />
      </label>
    </div>
  );
}
