/** What is seen first, drawn by the proof's renderer from where the view stands, until the live picture is there. */
export function Still({ picture }: { picture: string }) {
  return (
    <div className="pointer-events-none absolute inset-0 flex justify-center overflow-hidden">
      <img
        src={`data:image/png;base64,${picture}`}
        alt="What is seen first, rendered"
        className="h-full max-w-none"
      />
    </div>
  );
}
