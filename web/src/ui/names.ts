/** A name that does not fit, shortened where names are alike: what comes first and, more so, what
 * comes last tells them apart. */
export function shortName(name: string, room: number): string {
  if (name.length <= room) return name;
  const last = Math.min(Math.max(6, Math.floor((room - 1) / 2)), room - 2);
  return `${name.slice(0, room - 1 - last)}…${name.slice(-last)}`;
}
