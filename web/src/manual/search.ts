/** The manual, cut into what one can land at: a heading with its paragraphs, a row of a table. */

export interface Page { name: string; title: string; text: string }
export interface Entry { page: string; title: string; anchor: string; head: string; says: string }

/** How a word is written in an address: `next hop silent` is `next-hop-silent`. */
export function anchorOf(words: string): string {
  return words.trim().toLowerCase().replace(/[`*]/g, "").replace(/[^\p{L}\p{N}]+/gu, "-").replace(/^-|-$/g, "");
}

const plain = (text: string) => text.replace(/[`*]/g, "").replace(/\[([^\]]*)\]\([^)]*\)/g, "$1").trim();

export function entriesOf(pages: Page[]): Entry[] {
  const out: Entry[] = [];
  for (const page of pages) {
    const whole: Entry = { page: page.name, title: page.title, anchor: "", head: page.title, says: "" };
    out.push(whole);
    let open = whole;
    for (const line of page.text.split("\n")) {
      const heading = /^#+ (.*)$/.exec(line);
      const cells = line.startsWith("|") ? line.slice(1, -1).split("|").map(plain) : null;
      if (heading?.[1]) {
        open = { page: page.name, title: page.title, anchor: anchorOf(heading[1]), head: plain(heading[1]), says: "" };
        out.push(open);
      } else if (cells?.[0] && !/^-+$/.test(cells[0])) {
        const [head, ...rest] = cells;
        out.push({ page: page.name, title: page.title, anchor: anchorOf(head), head, says: rest.join(" ") });
      } else if (!cells) open.says += ` ${plain(line.replace(/^[-*] /, ""))}`;
    }
  }
  return out;
}

/** What speaks of all the words, those that name them first. */
export function found(entries: Entry[], asked: string, most = 40): Entry[] {
  const words = asked.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return [];
  const ranked = entries.flatMap((entry) => {
    const head = entry.head.toLowerCase();
    const all = `${head} ${entry.says.toLowerCase()}`;
    if (!words.every((word) => all.includes(word))) return [];
    const rank = head === words.join(" ") ? 0 : words.every((word) => head.includes(word)) ? 1 : 2;
    return [{ entry, rank }];
  });
  return ranked.sort((one, other) => one.rank - other.rank).slice(0, most).map((item) => item.entry);
}
