// The model as documents: pictures of star and matrix, SQL, a data dictionary, a package.
import { Menu } from '@mantine/core';
import type { ModelDocument } from '../../api/client';
import { problemOf } from '../../api/client';
import { actions } from '../../app/shown';
import { starPicture, useStarView } from './requests';
import { useLink } from './store';

const SCALE = 2; // of a PNG's points to those of the picture

export function Documents({ model }: { model: ModelDocument }) {
  const fact = useLink((s) => s.fact) ?? model.matrix.facts[0] ?? '';
  const standing = useStarView(model, fact);
  const address = (kind: string) => `/api/models/${model.id}/document?kind=${kind}`;
  const saves = (what: () => Promise<void>) => () =>
    void what().catch((error: unknown) => actions.say({ problem: problemOf(error), retry: null }));
  const star = () => starPicture(model, standing);
  return (
    <Menu position="bottom-end" withinPortal>
      <Menu.Target>
        <button type="button" className="pill small">
          Documents
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item disabled={!fact} onClick={saves(async () => save(svgAddress(await star()), `${model.name}-star.svg`))}>
          The star as SVG
        </Menu.Item>
        <Menu.Item disabled={!fact} onClick={saves(async () => asPng(await star(), `${model.name}-star.png`))}>
          The star as PNG
        </Menu.Item>
        <Menu.Item component="a" href={address('matrix-svg')} download>
          The matrix as SVG
        </Menu.Item>
        <Menu.Item onClick={saves(async () => asPng(await drawn(address('matrix-svg')), `${model.name}-matrix.png`))}>
          The matrix as PNG
        </Menu.Item>
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

const svgAddress = (svg: string) => `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;

function save(address: string, name: string): void {
  const link = document.createElement('a');
  link.href = address;
  link.download = name;
  link.click();
}

/** A picture that the server draws. */
async function drawn(address: string): Promise<string> {
  const answer = await fetch(address);
  if (!answer.ok) throw new Error('The picture could not be made.');
  return answer.text();
}

/** Saves a picture as points. */
async function asPng(svg: string, name: string): Promise<void> {
  const picture = new Image();
  picture.src = svgAddress(svg);
  await picture.decode();
  const canvas = document.createElement('canvas');
  canvas.width = picture.naturalWidth * SCALE;
  canvas.height = picture.naturalHeight * SCALE;
  canvas.getContext('2d')?.drawImage(picture, 0, 0, canvas.width, canvas.height);
  save(canvas.toDataURL('image/png'), name);
}
