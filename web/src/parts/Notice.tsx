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
