import { useState } from "react";

/** Where one picture is dropped, or chosen. */
export function DropPicture({
  words,
  testId,
  small = false,
  onFile,
}: {
  words: string;
  testId: string;
  small?: boolean;
  onFile: (file: File | undefined) => void;
}) {
  const [over, setOver] = useState(false);
  return (
    <label
      className={`relative flex cursor-pointer flex-col items-center border border-dashed border-base-content px-3 text-center focus-within:outline-2 ${small ? "py-1.5" : "py-4"} ${over ? "bg-base-300" : ""}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        onFile(event.dataTransfer.files[0]);
      }}
    >
      {words}
      <input
        type="file"
        accept="image/*,.exr,.tif,.tiff,.hdr"
        className="sr-only"
        data-testid={testId}
        onChange={(event) => {
          onFile(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
    </label>
  );
}
