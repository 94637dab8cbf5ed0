/** The query of the address as it stands now: of two changes in a row, what a view was drawn with
 * does not know the first one yet. */
export const standing = () => new URLSearchParams(window.location.search);
