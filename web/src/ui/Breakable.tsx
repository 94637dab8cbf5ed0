import { Fragment } from "react";

/** A text that may be wrapped after dots, colons and slashes: an address never within a number. */
export function Breakable({ text }: { text: string }) {
  const parts = text.split(/(?<=[.:/])/);
  return parts.map((part, index) => <Fragment key={index}>{index ? <wbr /> : null}{part}</Fragment>);
}
