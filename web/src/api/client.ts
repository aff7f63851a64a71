// The generated interface, and the shapes that the screens name often.
import createClient from 'openapi-fetch';
import type { components, paths } from './generated';

type S = components['schemas'];
/** A model with what is found in it; the server tells the two apart. */
export type ModelDocument = S['WholeModel'];
export type StoredModel = S['ModelDocument'];
export type Analysis = S['Analysis'];
export type TableInfo = S['WholeTable'];
export type LinkInfo = S['LinkInfo'];
export type MeasureInfo = S['MeasureInfo'];
export type Finding = S['RankedFinding'];
export type Stop = S['Stop'];
export type GridAnswer = S['GridAnswer'];
export type GridMeasure = S['GridMeasure'];
export type TruthMark = S['Mark'];
export type TraceAnswer = S['TraceAnswer'];
export type UsedRows = S['UsedRows'];
export type PageCondition = S['PageCondition'];
export type PatternInfo = S['Pattern'];
export type ComparisonInfo = S['Counterpart'];
export type SheetItem = S['SheetItem'];
export type DifferencePiece = S['DifferencePiece'];
export type LedgerLine = S['LedgerLine'];
export type Coordinate = { column: string; member: Member };
export type Member = S['Member'];
export type TraceNode = S['TraceNode'];
export type TracedEdit = S['TracedEdit'];
export type TracedRows = S['TracedRows'];
export type Into = S['Into'];
export type Allowed = S['Allowed'];
export type FormulaAnswer = S['FormulaAnswer'];
export type ErrorItem = S['ErrorItem'];
export type LinkPreview = S['LinkPreview'];
export type Profile = S['Profile'];
export type Counting = S['Counting'];
export type Trial = S['Trial'];
export type StatesCompared = S['StatesCompared'];
export type Beside = S['Beside'];
export type Double = S['Double'];
export type Suggestion = S['LinkSuggestion'];
export type ReachOf = S['ReachOf'];
export type Opening = S['Opening'];
export type Held = S['Held'];
export type HeldScan = S['HeldScan'];
export type MatrixCell = S['MatrixCell'];
export type StarLayout = S['StarLayout'];
export type StarRoute = S['StarRoute'];
export type ModelItem = S['ModelItem'];
export type Beginning = S['Beginning'];
export type Problem = S['Problem'];
export type Reading = S['Reading'];
export type ReadingItem = S['ReadingItem'];
export type ReadColumn = S['ReadColumn'];
export type ReadsInfo = S['ReadsInfo'];
export type Comparison = S['Comparison'];
export type LoadInfo = S['LoadInfo'];
export type StepOutcome = S['StepOutcome'];
export type ShapeColumn = S['ShapeColumn'];
export type Mismatch = S['Mismatch'];
export type NearMatch = S['NearMatch'];
export type Consequences = S['Consequences'];
export type Check = S['CheckSpec'];
export type CheckRow = S['CheckRow'];
export type CheckMoved = S['CheckMoved'];
export type Outcome = S['Outcome'];
export type Failure = S['Failure'];
export type Covered = S['Covered'];
export type ProofRow = S['ProofRow'];
export type ProveAnswer = S['ProveAnswer'];
export type ValueBeside = S['ValueBeside'];
export type ReleaseRow = S['ReleaseRow'];
export type ReleasePreview = S['ReleasePreview'];
export type PartChanged = S['PartChanged'];
export type NumbersMoved = S['NumbersMoved'];
export type Scalar = boolean | number | string | null;

/** What is stored, whose parts are there or left out, never null. */
type Given<T> = { [part in keyof T]: Exclude<T[part], null> };

/** A pick of a probe, as formats.md writes it. */
export type Pick = S['MemberPick'] | S['ConditionPick'];

/** A condition on lines of a level of the rows, the last one where none is named. */
export type Having = Given<S['HavingSpec']>;

/** What lines are ordered by; a measure may be read at one place of the axis across. */
export type Order = S['OrderSpec'];

/** How a probe's answer is shown; nothing of what it is. */
export type Look = S['Look'];
export type Picture = NonNullable<Look['picture']>;

type Always = 'rows' | 'columns' | 'measures' | 'picks' | 'totals';
type Written = Omit<S['ProbeSpec'], Always | 'top' | 'having' | 'look' | 'limit'>;

/** A probe, as formats.md writes it, with the parts that every screen asks for. */
export type Probe = Written & { [part in Always]-?: NonNullable<S['ProbeSpec'][part]> } & {
  top?: Given<S['TopSpec']>;
  having?: Having[];
  look?: Look;
};

/** A tile of a folio; its probe is a saved one by name, or one of its own. */
export type Tile = Given<Omit<S['Tile'], 'probe'>> & { probe?: string | Probe };

export type Folio = Omit<S['FolioSpec'], 'name' | 'picks' | 'tiles'> & { name: string; picks: Pick[]; tiles: Tile[] };

export type Me = S['Me'];
export type People = S['People'];

const AUTHOR_KEY = 'nexorem.author';
/** What a window calls itself until somebody says who sits in front of it. */
const WINDOWS = ['amber desk', 'birch desk', 'cobalt desk', 'coral desk', 'fern desk', 'ochre desk', 'slate desk', 'teal desk'];

/** Who this window's edits are by: a name of one's own choice. */
export function author(): string {
  let name = localStorage.getItem(AUTHOR_KEY);
  if (!name) {
    const [a = 0, b = 0] = crypto.getRandomValues(new Uint16Array(2));
    name = `${WINDOWS[a % WINDOWS.length]} ${10 + (b % 90)}`;
    localStorage.setItem(AUTHOR_KEY, name);
  }
  return name;
}

export function setAuthor(name: string): void {
  localStorage.setItem(AUTHOR_KEY, name.trim() || 'someone');
}

/** Told to the window when nobody is signed in any more. */
export const GONE_OUT = 'nexorem:gone-out';

export const client = createClient<paths>({ baseUrl: '/' });
client.use({
  onRequest({ request }) {
    request.headers.set('X-Nexorem-Author', author());
    return request;
  },
  onResponse({ response }) {
    if (response.status === 401 && !response.url.endsWith('/sign_in')) window.dispatchEvent(new Event(GONE_OUT));
  },
});

/** A request that was refused: the problem document as an error. */
export class Refusal extends Error {
  readonly problem: Problem;
  constructor(problem: Problem) {
    super(problem.detail || problem.title);
    this.problem = problem;
  }
}

/** Any failure as a problem to show: a refusal's own, or that no answer came. */
export function problemOf(error: unknown): Problem {
  if (error instanceof Refusal) return error.problem;
  const detail = 'The server did not answer. Nothing has changed; try again when it runs.';
  return { type: 'urn:nexorem:network', title: 'No answer', status: 0, detail, errors: [], changes: [], version: null, request: '' };
}

interface Answered<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer, or its problem thrown. */
export function unwrap<T>(answer: Answered<T>): T {
  if (answer.data !== undefined) return answer.data;
  const reported = answer.error as Partial<Problem> | undefined;
  throw new Refusal({
    type: reported?.type ?? 'urn:nexorem:network',
    title: reported?.title ?? 'No answer',
    status: answer.response.status,
    detail: reported?.detail ?? 'The server did not answer.',
    errors: reported?.errors ?? [],
    changes: reported?.changes ?? [],
    version: reported?.version ?? null,
    request: reported?.request ?? '',
  });
}

/** Offsets in the server's diagnostics count code points; the browser counts UTF-16. */
export function toUtf16(text: string, codePoint: number): number {
  let units = 0;
  let points = 0;
  for (const character of text) {
    if (points >= codePoint) break;
    units += character.length;
    points += 1;
  }
  return units;
}
