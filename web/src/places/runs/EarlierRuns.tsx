interface Props {
  pages: { hasNextPage: boolean; isFetchingNextPage: boolean; fetchNextPage: () => Promise<unknown> };
}

/** Below a list of runs, newest first: the way to those before them. */
export function EarlierRuns({ pages }: Props) {
  if (!pages.hasNextPage) return null;
  return (
    <button
      type="button"
      className="plain-button"
      disabled={pages.isFetchingNextPage}
      onClick={() => void pages.fetchNextPage()}
    >
      Show earlier runs
    </button>
  );
}
