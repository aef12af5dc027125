import { useQuery } from "@tanstack/react-query";
import { queries } from "../api/queries";
import { size } from "../base/format";

/** A line on every page while the disk has no room for evidence. */
export function NoRoom() {
  const room = useQuery({
    ...queries.storage(),
    refetchInterval: 60_000,
    retry: false,
  });
  if (!room.data?.low) return null;
  return (
    <p className="no-room" role="alert">
      The disk is nearly full: {size(room.data.free)} free. Runs go on and their verdicts are kept, but no
      evidence until there are {size(room.data.least)}; keep less, in Setup, or make room.
    </p>
  );
}
