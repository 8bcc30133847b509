/** All projects, a place to drop files, and the demo sets. */
import './home.scss';
import { useLiveQuery } from 'dexie-react-hooks';
import { useState, type ReactNode } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { Link } from 'react-router';
import { db } from '../store/db.ts';
import { deleteProject, saveFile } from '../store/projects.ts';
import { exportProject } from '../store/project-file.ts';
import { useDrop } from './DropEverywhere.tsx';

const DEMOS = [
  { file: 'aobae', name: 'Aobae', text: 'Pale blue plate, Mo Kα, a hydrogen-bond network with a water' },
  { file: 'tsuyukusa-7', name: 'Tsuyukusa-7', text: 'Deep blue needle, Cu Kα, a chiral lactone' },
  { file: 'benigara-2', name: 'Benigara-2', text: 'Brick-red block, Mo Kα, two molecules with bromine' },
  { file: 'kasumi', name: 'Kasumi', text: 'Colourless prism, Mo Kα, a rigid molecule lying two ways' },
  {
    file: 'fujinezumi-4',
    name: 'Fujinezumi-4',
    text: 'Grey-violet plate, Mo Kα, a ring and an anion in two places, methanol',
  },
  { file: 'mizuasagi', name: 'Mizuasagi', text: 'Pale turquoise needle, Cu Kα, a hydrate with many hydroxyls' },
  { file: 'rokusho-9', name: 'Rokusho-9', text: 'Verdigris plate, Mo Kα, a copper salt with ammonium ends' },
  { file: 'asagi-8', name: 'Asagi-8', text: 'Pale yellow block: a model in I2/a, to be re-set' },
  { file: 'hanada-3', name: 'Hanada-3', text: 'Light indigo plate: solved in Pna2₁; is that all?' },
  { file: 'kihada-2', name: 'Kihada-2', text: 'Orange needle: four molecules in P1' },
  { file: 'suou-5', name: 'Suou-5', text: 'Colourless prism: a model with something wrong, for Vet' },
  { file: 'enju-6', name: 'Enju-6', text: 'Leaf-green plate: strong absorption, six runs, one of them bad' },
  { file: 'futago-1', name: 'Futago-1', text: 'Amber bipyramid, Mo Kα, a merohedral twin' },
];

const SERIES = Array.from({ length: 12 }, (_, i) => `titania-${String(i + 1).padStart(2, '0')}.xy`);
const POWDERS = [
  {
    files: ['frit-12.xy', 'kiln-diffractometer.json'],
    name: 'Frit 12',
    text: 'Two phases weighed in at 58 : 42, one with a stretched cell',
  },
  {
    files: ['frit-31.xye', 'kiln-diffractometer.json'],
    name: 'Frit 31',
    text: 'Four phases, one in plates, one of two per cent',
  },
  {
    files: ['bengara-nano.xy', 'kiln-diffractometer.json'],
    name: 'Bengara, fine',
    text: 'A red pigment of very small crystals',
  },
  {
    files: ['hatsuyuki.cif', 'kiln-diffractometer.json'],
    name: 'Hatsuyuki',
    text: 'A white unknown, to be indexed and solved',
  },
  { files: ['standard.xy'], name: 'Silicon standard', text: 'To calibrate the diffractometer of the kiln' },
  {
    files: [...SERIES, 'kiln-diffractometer.json'],
    name: 'Titania, heated',
    text: 'Twelve patterns from 300 to 850 K',
  },
];

export function Home(): ReactNode {
  const projects = useLiveQuery(() => db.projects.orderBy('updated').reverse().toArray());
  const powders = useLiveQuery(async () => new Set((await db.powder.toArray()).map((r) => r.projectId)));
  const { pick, takeText } = useDrop();
  const [doomed, setDoomed] = useState<{ id: string; name: string } | undefined>();
  const openDemo = async (file: string): Promise<void> =>
    takeText(await (await fetch(`/demo/${file}.cif`)).text(), `${file}.cif`);
  const openPowder = async (files: readonly string[]): Promise<void> => {
    for (const f of files) await takeText(await (await fetch(`/demo/${f}`)).text(), f);
  };
  return (
    <div className="home">
      <main>
        <h1 className="d-flex align-items-center gap-3">
          <img src="/mark.svg" width="44" alt="" />
          Nagare
        </h1>
        <p className="soft fs-6">
          From measured reflections or powder patterns to a refined structure and its record, in one flow.
        </p>
        <div className="drop-here">
          <p className="mb-2 fs-6">
            Drop a CIF, a reflection list, powder patterns or a project file anywhere on this page, or paste its text.
          </p>
          <Button onClick={pick}>Choose files</Button>
        </div>
        <h2 className="fs-6">From the Kurobane Kiln archive (made-up samples)</h2>
        <div className="demos">
          {DEMOS.map((d) => (
            <button key={d.file} onClick={() => void openDemo(d.file)}>
              <b>{d.name}</b>
              <span className="soft">{d.text}</span>
            </button>
          ))}
        </div>
        <h2 className="fs-6">Powders of the kiln (made up too)</h2>
        <div className="demos">
          {POWDERS.map((d) => (
            <button key={d.name} onClick={() => void openPowder(d.files)}>
              <b>{d.name}</b>
              <span className="soft">{d.text}</span>
            </button>
          ))}
        </div>
        <h2 className="fs-6">Projects</h2>
        {projects?.length === 0 && (
          <p className="soft">
            None yet. A dropped file or a sample becomes the first one; everything stays in this browser.
          </p>
        )}
        <ul className="projects">
          {projects?.map((p) => (
            <li key={p.id}>
              <Link
                className="name"
                to={`/projects/${p.id}/${powders?.has(p.id) ? 'fit' : p.head ? 'refine' : 'intake'}`}
              >
                {p.name}
              </Link>
              <span className="soft flex-grow-1">
                {powders?.has(p.id) ? 'powder' : p.group ? p.group.symbol : 'symmetry not decided'} ·{' '}
                {new Date(p.updated).toLocaleString()}
              </span>
              <button
                className="word"
                onClick={() => void exportProject(p.id).then((b) => saveFile(b, `${p.name}.nagare`, 'application/zip'))}
              >
                Export
              </button>
              <button className="word off" onClick={() => setDoomed(p)}>
                Delete
              </button>
            </li>
          ))}
        </ul>
      </main>
      <Modal show={!!doomed} centered animation={false} onHide={() => setDoomed(undefined)}>
        <Modal.Body>
          Delete “{doomed?.name}” with its data and its whole course from this browser? This cannot be undone; export it
          first to keep a copy.
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline-secondary" onClick={() => setDoomed(undefined)}>
            Keep it
          </Button>
          <Button
            variant="danger"
            onClick={() => {
              void deleteProject(doomed!.id);
              setDoomed(undefined);
            }}
          >
            Delete
          </Button>
        </Modal.Footer>
      </Modal>
    </div>
  );
}
