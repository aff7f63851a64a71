// Which clearances' rules come to a table, and which do not: said where it stands in the matrix.
import type { ModelDocument } from '../../api/client';
import { useClearances } from './requests';

export function Ruled({ model, table }: { model: ModelDocument; table: string }) {
  const told = useClearances(model).data ?? [];
  const names = (part: 'reached' | 'missed') => told.filter((c) => c[part].includes(table)).map((c) => c.name);
  const missed = names('missed');
  const words = missed.length ? `seen whole with ${missed.join(', ')}` : `ruled by ${names('reached').join(', ')}`;
  if (!told.some((c) => c.wrong === '')) return null;
  return <small className={missed.length ? 'signal' : 'quiet'}>{words}</small>;
}
