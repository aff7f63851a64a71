// Undo and redo of what is on screen and not in the model: a probe, a folio.

interface Props {
  /** What is undone, at the end of a sentence: “in the sentence”. */
  where: string;
  back: number;
  forth: number;
  undo: () => void;
  redo: () => void;
}

export function UndoButtons({ where, back, forth, undo, redo }: Props) {
  return (
    <>
      <button
        type="button"
        className="plain"
        disabled={!back}
        aria-label={`Undo ${where}`}
        title={`Undo ${where} (Ctrl Z on a chip)`}
        onClick={undo}
      >
        ↶
      </button>
      <button type="button" className="plain" disabled={!forth} aria-label={`Redo ${where}`} title={`Redo ${where}`} onClick={redo}>
        ↷
      </button>
    </>
  );
}
