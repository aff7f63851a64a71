// The model as documents: pictures of star and matrix, SQL, a data dictionary, a package.
import { Menu } from '@mantine/core';
import type { ModelDocument } from '../../api/client';
import { problemOf } from '../../api/client';
import { actions } from '../../app/shown';
import { useLink } from './store';

const SCALE = 2; // of a PNG's points to those of the picture

export function Documents({ model }: { model: ModelDocument }) {
  const fact = useLink((s) => s.fact) ?? model.matrix.facts[0] ?? '';
  const beside = useLink((s) => s.beside) ?? '';
  const address = (kind: string) =>
    `/api/models/${model.id}/document?${new URLSearchParams({ kind, ...(kind === 'star-svg' ? { fact, beside } : {}) }).toString()}`;
  const png = (kind: string, name: string) =>
    void asPng(address(kind), `${model.name}-${name}.png`).catch((error: unknown) =>
      actions.say({ problem: problemOf(error), retry: null }),
    );
  return (
    <Menu position="bottom-end" withinPortal>
      <Menu.Target>
        <button type="button" className="pill small">
          Documents
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item component="a" href={address('star-svg')} download>
          The star as SVG
        </Menu.Item>
        <Menu.Item onClick={() => png('star-svg', 'star')}>The star as PNG</Menu.Item>
        <Menu.Item component="a" href={address('matrix-svg')} download>
          The matrix as SVG
        </Menu.Item>
        <Menu.Item onClick={() => png('matrix-svg', 'matrix')}>The matrix as PNG</Menu.Item>
        <Menu.Divider />
        <Menu.Item component="a" href={address('ddl')} download>
          SQL: tables, keys, comments
        </Menu.Item>
        <Menu.Item component="a" href={address('dictionary')} download>
          Data dictionary, Markdown
        </Menu.Item>
        <Menu.Item component="a" href={`/api/models/${model.id}/package`} download>
          Data package with its rows
        </Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}

/** Draws the server's picture and saves it as points. */
async function asPng(address: string, name: string): Promise<void> {
  const answer = await fetch(address);
  if (!answer.ok) throw new Error('The picture could not be made.');
  const picture = new Image();
  picture.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(await answer.text())}`;
  await picture.decode();
  const canvas = document.createElement('canvas');
  canvas.width = picture.naturalWidth * SCALE;
  canvas.height = picture.naturalHeight * SCALE;
  canvas.getContext('2d')?.drawImage(picture, 0, 0, canvas.width, canvas.height);
  const link = document.createElement('a');
  link.href = canvas.toDataURL('image/png');
  link.download = name;
  link.click();
}
