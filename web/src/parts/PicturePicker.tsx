/** Chooses a picture of one's own, or leaves it out again; one may be pasted into a form as well. */
import { type ClipboardEvent, useRef } from "react";

export function PicturePicker(props: {
  picture: File | null;
  choose: (picture: File | null) => void;
  /** What stands where none is chosen. */
  add: string;
}) {
  const file = useRef<HTMLInputElement>(null);
  return (
    <span>
      <input
        ref={file}
        type="file"
        accept="image/png,image/jpeg,image/webp"
        aria-label="a picture"
        className="hidden"
        onChange={(event) => props.choose(event.target.files?.[0] ?? null)}
      />
      {props.picture ? (
        <>
          {props.picture.name}{" "}
          <button type="button" className="text-brass" onClick={() => props.choose(null)}>
            without it
          </button>
        </>
      ) : (
        <button type="button" className="text-brass" onClick={() => file.current?.click()}>
          {props.add}
        </button>
      )}
    </span>
  );
}

/** The picture that was pasted; null where something else was. */
export function pastedPicture(event: ClipboardEvent): File | null {
  return [...event.clipboardData.files].find((one) => one.type.startsWith("image/")) ?? null;
}
