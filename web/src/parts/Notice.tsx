import { Link } from "react-router";

/** A sentence where something could not be shown, and what to do. */
export function Notice({ sentence, retry }: { sentence: string; retry?: () => void }) {
  return (
    <div className="notice" role="alert">
      <p>{sentence}</p>
      {retry && (
        <button type="button" className="plain-link" onClick={retry}>
          Try again
        </button>
      )}
    </div>
  );
}

export function Missing() {
  return (
    <div className="page">
      <h1>There is nothing at this address</h1>
      <p>
        <Link to="/cases">Go to the cases</Link>
      </p>
    </div>
  );
}

/** Stands for a page whose script could not be read (after an update it has another name), or that
 *  could not be drawn. */
export function NotLoaded() {
  return (
    <div className="page">
      <h1>This page could not be shown</h1>
      <Notice
        sentence={
          "Its script did not arrive, or made a mistake. Salt Path may have been updated since this tab " +
          "was opened: reading the page again brings the new one. What you were typing is kept in this browser."
        }
        retry={() => window.location.reload()}
      />
    </div>
  );
}
