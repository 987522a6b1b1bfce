import { type Handover, pictures } from "../../api/client";
import { bytes } from "../../ui/format";

const PICTURED = /\.(png|jpe?g|exr|ktx2)$/i;

/** The package as it lies on disk, heaviest first, with pictures of its images. */
export function OnDisk({ handover }: { handover: Handover }) {
  const files = [...handover.files].sort((a, b) => b.size - a.size);
  const total = files.reduce((sum, file) => sum + file.size, 0);
  const images = files.filter((file) => PICTURED.test(file.path)).slice(0, 4);
  return (
    <section aria-label="On disk" className="border-t border-base-300 px-[18px] py-3">
      <h2>
        On disk{" "}
        <span className="font-normal text-soft">
          {files.length} files, {bytes(total)}; heaviest first
        </span>
      </h2>
      {images.length > 0 && (
        <div className="mt-2 grid grid-cols-4 gap-2">
          {images.map((file) => (
            <figure key={file.path} className="relative aspect-[7/5] bg-booth">
              <img
                alt={file.path}
                title={file.path}
                src={pictures.delivered(handover.id, file.path)}
                className="h-full w-full object-cover"
                loading="lazy"
              />
              <figcaption className="absolute bottom-0 left-0 bg-base-100 px-1 font-mono text-[11px]">
                {bytes(file.size)}
              </figcaption>
            </figure>
          ))}
        </div>
      )}
      <ul className="mt-2 max-h-[132px] overflow-y-auto" tabIndex={0} aria-label="Files">
        {files.map((file) => (
          <li key={file.path} className="flex h-6 items-center justify-between gap-3 font-mono text-[12px]">
            <span className="truncate" title={file.path}>
              {file.path}
            </span>
            <span className="text-soft">{bytes(file.size)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
