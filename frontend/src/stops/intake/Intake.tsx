import { FolderPlus } from "lucide-react";
import { useState, type DragEvent } from "react";
import { useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../data/client";
import { useAct, useDeliveries, useLedger, useShowId } from "../../data/queries";
import { Button, Empty, Heading, Number, Progress, Waiting } from "../../ui/parts";
import { BringIn } from "./BringIn";
import { ClipTable } from "./ClipTable";
import { useUpload } from "./upload";

/** Intake: deliveries come in, are looked at, and show what they really hold. */
export function Intake() {
  const showId = useShowId();
  const deliveries = useDeliveries(showId);
  const ledger = useLedger(showId);
  const [search, setSearch] = useSearchParams();
  const [over, setOver] = useState(false);
  const upload = useUpload(showId);
  const chosen = search.get("delivery");
  const go = (places: { delivery?: number | null; bring?: boolean }) =>
    setSearch((now) => {
      if (places.delivery === null) now.delete("delivery");
      else if (places.delivery !== undefined) now.set("delivery", String(places.delivery));
      if (places.bring) now.set("bring", "1");
      else now.delete("bring");
      return now;
    });

  if (deliveries.isPending || ledger.isPending) return <Waiting what="Reading the deliveries" />;
  if (deliveries.error) return <Empty title="The deliveries cannot be read.">{deliveries.error.message}</Empty>;
  const clips = (ledger.data?.clips ?? []).filter((c) => chosen === null || String(c.delivery_id) === chosen);
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    const files = [...event.dataTransfer.files];
    if (files.length) upload.mutate(files);
  };

  return (
    <div
      className="relative grid h-full grid-cols-[244px_minmax(0,1fr)]"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setOver(false)}
      onDrop={drop}
    >
      <section className="flex min-h-0 flex-col border-r border-hair" aria-label="Deliveries">
        <Heading
          aside={
            <Button weight="main" onClick={() => go({ bring: true })}>
              <FolderPlus size={14} aria-hidden /> Bring footage in
            </Button>
          }
        >
          Deliveries
        </Heading>
        <ul className="min-h-0 flex-1 overflow-auto">
          {deliveries.data.length > 1 && (
            <li>
              <button
                type="button"
                onClick={() => go({ delivery: null })}
                aria-current={chosen === null}
                className={`flex h-8 w-full items-center border-b border-hair px-3 ${chosen === null ? "bg-patina-wash font-medium" : "hover:bg-sunk"}`}
              >
                All deliveries
              </button>
            </li>
          )}
          {deliveries.data.map((delivery) => (
            <DeliveryItem
              key={delivery.id}
              showId={showId}
              delivery={delivery}
              chosen={String(delivery.id) === chosen}
              choose={() => go({ delivery: delivery.id })}
            />
          ))}
        </ul>
        <p className="border-t border-hair p-3 text-[12.5px] text-soft">
          {upload.isPending
            ? "Receiving the dropped files …"
            : "Files from this computer can be dropped anywhere here. Sources are only read, never changed."}
        </p>
      </section>
      <section className="min-h-0 min-w-0" aria-label="Clips that came in">
        {deliveries.data.length === 0 ? (
          <Empty title="No footage has come in yet.">
            <p className="mb-3">
              Bring in a folder, a card or a roll. Every file is opened and measured; nothing on disk changes.
            </p>
            <Button weight="main" onClick={() => go({ bring: true })}>
              <FolderPlus size={14} aria-hidden /> Bring footage in
            </Button>
          </Empty>
        ) : (
          <ClipTable clips={clips} />
        )}
      </section>
      {over && (
        <div className="pointer-events-none absolute inset-2 z-30 flex items-center justify-center border-2 border-dashed border-patina bg-patina-wash/85 text-[16px] font-medium">
          Drop the files to bring them in as a delivery
        </div>
      )}
      <BringIn
        showId={showId}
        open={search.get("bring") === "1"}
        close={(made) => go(made === undefined ? {} : { delivery: made })}
      />
    </div>
  );
}

function DeliveryItem(props: {
  showId: number;
  delivery: Schemas["DeliveryView"];
  chosen: boolean;
  choose: () => void;
}) {
  const { delivery, chosen } = props;
  const takeOut = useAct(
    () =>
      answer(
        api.DELETE("/api/shows/{show_id}/deliveries/{delivery_id}", {
          params: { path: { show_id: props.showId, delivery_id: delivery.id } },
        }),
      ),
    () => `“${delivery.name}” taken out of the show. Its files are where they were.`,
  );
  const looking = delivery.probed < delivery.clips;
  return (
    <li className={`border-b border-hair ${chosen ? "bg-patina-wash" : "hover:bg-sunk"}`}>
      <button type="button" onClick={props.choose} aria-current={chosen} className="block w-full px-3 pt-1.5 text-left">
        <span className="block truncate font-medium">{delivery.name}</span>
        <span className="block truncate text-[12.5px] text-soft" title={`${delivery.root}: ${delivery.folder}`}>
          {delivery.folder || delivery.root}
        </span>
      </button>
      <div className="flex h-6 items-center gap-2 px-3 pb-1.5 text-[12.5px]">
        {looking ? (
          <>
            <span className="whitespace-nowrap text-soft">
              looking <Number>{delivery.probed}</Number> of <Number>{delivery.clips}</Number>
            </span>
            <Progress done={delivery.probed} of={delivery.clips} label={`Clips of ${delivery.name} looked at`} />
          </>
        ) : (
          <span className="text-soft">
            <Number>{delivery.clips}</Number> {delivery.clips === 1 ? "clip" : "clips"}
          </span>
        )}
        {delivery.troubled > 0 && (
          <span className="whitespace-nowrap text-madder">
            ▲ <Number>{delivery.troubled}</Number> with trouble
          </span>
        )}
        {chosen && !looking && (
          <button
            type="button"
            className="ml-auto text-patina hover:underline"
            onClick={() => takeOut.mutate(undefined)}
          >
            Take out
          </button>
        )}
      </div>
    </li>
  );
}
