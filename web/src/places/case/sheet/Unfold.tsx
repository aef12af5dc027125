import { Link } from "react-router";

interface Props {
  unfolded: boolean;
  turn: () => void;
  /** The address of the workbook that the sheet is saved as. */
  file: string;
  /** Where a workbook is brought in. */
  into: string;
}

/** Below a sheet: its requests unfolded, and the ways to and from spreadsheet programs. */
export function Unfold({ unfolded, turn, file, into }: Props) {
  return (
    <p className="sheet-ways">
      <label>
        <input type="checkbox" checked={unfolded} onChange={turn} /> with whole requests
      </label>
      <span>
        Save it as <a href={`${file}?format=xlsx`}>XLSX</a> or <a href={`${file}?format=csv`}>CSV</a>
      </span>
      <Link to={into}>Bring in a workbook…</Link>
    </p>
  );
}
