import type { Schemas } from "../../../data/client";
import type { EvidenceRow } from "../../../data/evidence";

/** What every look at evidence is given. */
export interface LookProps {
  showId: number;
  row: EvidenceRow;
  dossier: Schemas["Dossier"];
}
