import { answer, api, type Schemas } from "../../data/client";
import { useAct } from "../../data/queries";
import { inFiles } from "../../ui/words";

/** Send dropped files; they become a delivery named after the day. */
export function useUpload(showId: number) {
  return useAct(
    (files: File[]) => {
      const form = new FormData();
      form.append("name", `Dropped ${new Date().toISOString().slice(0, 10)}`);
      files.forEach((file) => form.append("files", file));
      return answer(
        api.POST("/api/shows/{show_id}/uploads", {
          params: { path: { show_id: showId } },
          body: form as unknown as Schemas["Body_upload_api_shows__show_id__uploads_post"],
          bodySerializer: (body: unknown) => body as FormData,
        }),
      );
    },
    (made) => `${inFiles(made.clips)} received.`,
  );
}
