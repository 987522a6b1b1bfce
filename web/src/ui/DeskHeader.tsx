import { Link } from "react-router";

import { Person } from "../people/Person";
import { ThemeSwitch } from "./ThemeSwitch";
import { Wordmark } from "./Tags";

/** The header of pages that are not inside a move. */
export function DeskHeader() {
  return (
    <header className="flex h-[52px] items-center gap-6 border-b border-base-300 bg-base-100 px-5">
      <Link to="/" aria-label="Trasloco, the desk">
        <Wordmark />
      </Link>
      <nav className="flex flex-1 gap-4">
        <Link to="/sheets" className="hover:underline">
          Sheets
        </Link>
        <Link to="/keys" className="hover:underline">
          Keys
        </Link>
      </nav>
      <Person />
      <ThemeSwitch />
    </header>
  );
}
