import type { Shapes } from "../api/client";
import type { Path } from "./journey";

type Profile = Shapes["ProfileShape"];
type LinkSize = Profile["links"][number];

/** The least interesting part of every bar: sizes below this are never in question. */
const FLOOR = 1000;

function Bar({ link, most, limit }: { link: LinkSize; most: number; limit: boolean }) {
  const size = link.takes ?? 0;
  const width = link.takes === null ? 0 : Math.max(6, Math.min(100, ((size - FLOOR) / Math.max(1, most - FLOOR)) * 100));
  const differs = link.mtu !== null && link.far_mtu !== null && link.mtu !== link.far_mtu;
  const words = [
    `${link.device} ${link.interface} to ${link.far.device}: ${link.takes ?? "size not known"}`,
    differs ? `${link.mtu} at one end, ${link.far_mtu} at the other` : "",
    link.tunnel ? `a tunnel with ${link.tunnel.overhead} bytes of its own` : "",
  ].filter(Boolean).join("; ");
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_5.5rem_3.2rem] items-center gap-2" title={words}>
      <span className="truncate">
        {link.device} <span className="mono soft">{link.interface}</span>
        {link.tunnel ? <span className="soft"> tunnel, less {link.tunnel.overhead}</span> : null}
        {differs ? <span className="stop font-semibold"> ends differ</span> : null}
      </span>
      <span aria-hidden className="h-2 rounded-full bg-base-300">
        <span className={`block h-2 rounded-full ${limit ? "bg-[var(--stop)]" : "bg-[var(--soft)]"}`} style={{ width: `${width}%` }} />
      </span>
      <span className={`mono text-right ${limit ? "stop font-semibold" : ""}`}>{link.takes ?? "?"}</span>
    </li>
  );
}

function Leg({ name, profile }: { name: string; profile: Profile }) {
  const known = profile.links.flatMap((link) => (link.takes === null ? [] : [link.takes]));
  const most = Math.max(...known);
  const limited = profile.limited_by;
  const uneven = profile.links.some((link) => link.takes !== null && (link.takes !== most || link.tunnel !== null || (link.mtu !== null && link.far_mtu !== null && link.mtu !== link.far_mtu)));
  const dark = profile.links.length - known.length;
  return (
    <div className="pt-1">
      <p>
        {name}: <b>{profile.whole}</b> bytes in one piece
        {uneven && limited ? <>, limited by {limited.device} <span className="mono">{limited.interface}</span></> : null}
        {profile.split !== null && profile.split !== profile.whole ? (
          <span className="soft">{profile.split >= 65535 ? "; larger ones pass in pieces" : `; up to ${profile.split} in pieces`}</span>
        ) : null}.
        {dark ? <span className="soft"> The size of {dark} of {profile.links.length} links is not known.</span> : null}
      </p>
      {profile.told === false ? (
        <p className="stop font-semibold">The message that a packet is too big does not find back to the sender: large transfers hang.</p>
      ) : null}
      {uneven ? (
        <ul className="space-y-0.5 pt-1">
          {profile.links.map((link) => (
            <Bar key={`${link.device} ${link.interface}`} link={link} most={most} limit={link.takes === profile.whole && link.takes !== most} />
          ))}
        </ul>
      ) : null}
    </div>
  );
}

/** How large a packet may be on both legs, and which link says so. */
export function Sizes({ path }: { path: Path }) {
  const { outbound, return: back } = path.sizes;
  if (!outbound?.whole && !back?.whole) return null;
  return (
    <section aria-label="Packet size">
      <h2><b>Packet size</b></h2>
      {outbound?.whole ? <Leg name="Outbound" profile={outbound} /> : null}
      {back?.whole ? <Leg name="Return" profile={back} /> : null}
    </section>
  );
}
