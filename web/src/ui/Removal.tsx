import { useMutation, useQuery } from "@tanstack/react-query";

import { Dialog } from "./Dialog";
import { Failed, Working } from "./States";

interface Props<T> {
  title: string;
  /** What would go, in sentences. */
  says: (found: T) => string[];
  look: () => Promise<T>;
  remove: () => Promise<void>;
  onClose: () => void;
  onGone: () => void;
}

/** Asks before something is deleted, and says first what goes with it. */
export function Removal<T>({ title, says, look, remove, onClose, onGone }: Props<T>) {
  const found = useQuery({ queryKey: ["removal", title], queryFn: look, gcTime: 0 });
  const gone = useMutation({ mutationFn: remove, onSuccess: onGone });
  return (
    <Dialog title={title} open onClose={onClose} submit="Delete it" busy={gone.isPending || !found.data} error={gone.error} onSubmit={() => gone.mutate()}>
      {found.isPending ? <Working what="Looking at what hangs on it" /> : null}
      {found.error ? <Failed error={found.error} /> : null}
      {found.data ? says(found.data).map((sentence) => <p key={sentence}>{sentence}</p>) : null}
      <p className="soft">It cannot be taken back, except from a backup.</p>
    </Dialog>
  );
}
