import type { ObjectRow } from "../api/client";

/** Whether an object needs to be flattened, as the server says: it has no UVs, or they are of no use. */
export const lacksLayout = (o: ObjectRow): boolean =>
  o.useless || (o.islands === 0 && o.unflattened > 0);
