import { useEffect } from "react";

/** A file that is dropped where nothing takes it would be opened by the browser, in the place of the application. */
export function useNoStrayFiles() {
  useEffect(() => {
    window.addEventListener("dragover", refuse);
    window.addEventListener("drop", refuse);
    return () => {
      window.removeEventListener("dragover", refuse);
      window.removeEventListener("drop", refuse);
    };
  }, []);
}

function refuse(event: DragEvent) {
  const taken = event.defaultPrevented || (event.target instanceof HTMLInputElement && event.target.type === "file");
  if (taken || !event.dataTransfer?.types.includes("Files")) return;
  event.preventDefault();
  event.dataTransfer.dropEffect = "none";
}
