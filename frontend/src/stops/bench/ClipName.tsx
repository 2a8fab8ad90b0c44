import { useNavigate } from "react-router";
import { useLedger } from "../../data/queries";
import { Button } from "../../ui/parts";

/** The clip's name, between the ways to the one before and the one after it. */
export function ClipName({ showId, clipId, name }: { showId: number; clipId: number; name: string }) {
  const navigate = useNavigate();
  const ids = useLedger(showId).data?.ids ?? [];
  const place = ids.indexOf(clipId);
  const before = place > 0 ? ids[place - 1] : undefined;
  const after = place >= 0 ? ids[place + 1] : undefined;
  const open = (id: number | undefined) => void navigate(`/shows/${showId}/bench/${id}`);
  return (
    <>
      <Button weight="quiet" className="h-6! px-1!" disabled={before === undefined} onClick={() => open(before)}>
        ‹<span className="sr-only">The clip before</span>
      </Button>
      <h1 className="font-semibold">{name}</h1>
      <Button weight="quiet" className="h-6! px-1!" disabled={after === undefined} onClick={() => open(after)}>
        ›<span className="sr-only">The next clip</span>
      </Button>
    </>
  );
}
