import { Link } from "react-router";

import { anchorOf } from "./search";

/** A word that leads to its entry in the manual. */
export function ManualLink({ page, word, children, className = "" }: { page: string; word: string; children?: string; className?: string }) {
  return (
    <Link to={`/manual/${page}#${anchorOf(word)}`} title={`What "${word}" means, in the manual`} className={`hover:underline focus-visible:underline ${className}`}>
      {children ?? word}
    </Link>
  );
}
