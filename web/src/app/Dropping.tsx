import { lazy, Suspense, useEffect, useState } from "react";

const Dropped = lazy(() => import("./Dropped").then((m) => ({ default: m.Dropped })));

/** Files that are dropped anywhere: one says what they are, and the station that knows them tells how it reads them. */
export function Dropping() {
  const [files, setFiles] = useState<File[]>([]);
  const [over, setOver] = useState(false);
  useEffect(() => {
    const carriesFiles = (event: DragEvent) => event.dataTransfer?.types.includes("Files");
    const dragged = (event: DragEvent) => {
      if (!carriesFiles(event)) return;
      event.preventDefault();
      setOver(true);
    };
    const left = (event: DragEvent) => !event.relatedTarget && setOver(false);
    const dropped = (event: DragEvent) => {
      if (!carriesFiles(event)) return;
      event.preventDefault();
      setOver(false);
      setFiles([...(event.dataTransfer?.files ?? [])]);
    };
    window.addEventListener("dragover", dragged);
    window.addEventListener("dragleave", left);
    window.addEventListener("drop", dropped);
    return () => {
      window.removeEventListener("dragover", dragged);
      window.removeEventListener("dragleave", left);
      window.removeEventListener("drop", dropped);
    };
  }, []);
  if (over)
    return (
      <p className="pointer-events-none fixed inset-x-0 top-12 z-30 mx-auto w-fit border-2 border-decision bg-sheet px-4 py-2 font-bold">
        Drop it anywhere: you then say what it is.
      </p>
    );
  if (!files.length) return null;
  return (
    <Suspense fallback={null}>
      <Dropped files={files} onDone={() => setFiles([])} />
    </Suspense>
  );
}
