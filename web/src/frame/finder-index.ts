/** What can be reached by its name or by another word for it: sheets, controls and numbers of the stations. Data only; the finder acts. */
import type { StationId } from './stations.ts';

/** What a project must hold for a thing to be done in it. */
export type Need = 'structure' | 'data' | 'pattern' | 'figure';

export interface FinderPlace {
  readonly text: string;
  /** Other words that people use for it. */
  readonly also: string;
  readonly station: StationId;
  /** Name of the sheet on the desk. */
  readonly sheet: string;
  /** Beginning of the name of the control that takes the focus; the first of the sheet where it is not given. */
  readonly control?: string;
  readonly needs: Need;
}

type Row = readonly [text: string, also: string, control?: string];

const sheetOf = (station: StationId, sheet: string, needs: Need, rows: readonly Row[]): readonly FinderPlace[] =>
  rows.map(([text, also, control]) => ({
    text,
    also,
    station,
    sheet,
    needs,
    ...(control ? { control } : {}),
  }));

/** Every sheet and what stands on it, by the words of the interface and by others that are used for the same. */
export const FINDER_PLACES: readonly FinderPlace[] = [
  ...sheetOf('intake', 'Data', 'data', [
    ['Data: merging, R_int, completeness', 'merge redundancy multiplicity reflections hkl rint equivalents'],
    ['Rejected and forbidden reflections', 'outliers absences systematic extinct'],
  ]),
  ...sheetOf('intake', 'Cell', 'data', [
    ['Cell and its symmetry', 'lattice parameters constants unit cell metric reduced niggli bravais'],
  ]),
  ...sheetOf('intake', 'Contents', 'data', [
    ['Formula', 'composition contents elements expected', 'Formula'],
    ['Z, formula units in the cell', 'formula units density volume per atom', 'Z'],
  ]),
  ...sheetOf('intake', 'Faces of the crystal', 'data', [
    ['Faces that were measured', 'crystal faces indexed dimensions numerical analytical absorption', 'Add a face'],
  ]),
  ...sheetOf('intake', 'Scale and absorption', 'data', [
    ['Scale batches', 'scaling frames batch'],
    ['Correct for absorption', 'absorption correction multi-scan spherical harmonics'],
    ['Add another data set', 'merge several crystals second', 'Add another data set'],
  ]),
  ...sheetOf('intake', 'Space group', 'data', [
    ['Space group of the data', 'symmetry systematic absences extinction symbol choose', 'Another group'],
    ['Absences by symmetry element', 'systematic absences screw glide', 'Absences by symmetry element'],
  ]),
  ...sheetOf('solve', 'Phasing', 'data', [
    ['Solve the structure', 'phase phasing charge flipping solution seeds structure solution'],
  ]),
  ...sheetOf('solve', 'Candidates', 'data', [['Candidates of the solution', 'solutions alternatives models']]),
  ...sheetOf('refine', 'Figures', 'data', [
    ['R1, wR2, S and the largest shift', 'agreement r factor goodness of fit gof convergence residual wr2'],
  ]),
  ...sheetOf('refine', 'Settle', 'data', [
    ['Settle: refine to the end by itself', 'automatic finish complete run refine all', 'Settle'],
    ['Let Settle model disorder by itself', 'automatic second places', 'try second places by itself'],
  ]),
  ...sheetOf('refine', 'Least squares', 'data', [
    ['Refine by least squares', 'refinement cycles full matrix weights weighting scheme', 'Refine'],
    ['Anisotropic or isotropic displacements', 'adp thermal parameters uij anisotropic isotropic', 'Displacements'],
    ['Number of cycles', 'iterations cycles', 'At most'],
  ]),
  ...sheetOf('refine', 'Residual density', 'data', [
    ['Residual density: maxima and minima', 'difference map fourier peaks holes electron density residual'],
    ['Fo − Fc map', 'difference fourier map', 'Fo − Fc'],
    ['2Fo − Fc map', 'map', '2Fo − Fc'],
    ['Fo map', 'observed fourier map', 'Fo'],
    ['Minima of the density', 'holes negative', 'Minima'],
    ['Elements by their electrons', 'wrong element type assignment test', 'Elements by their electrons'],
  ]),
  ...sheetOf('refine', 'Hydrogens', 'data', [
    ['Hydrogens: place and hold them', 'hydrogen atoms riding add h methyl water hydroxyl calculated', 'Make a plan'],
  ]),
  ...sheetOf('refine', 'Disorder', 'data', [
    ['Disorder: second place', 'disorder split position occupancy alternative'],
  ]),
  ...sheetOf('refine', 'Restraints and constraints', 'data', [
    [
      'Restraints and constraints',
      'restraint constraint distance similar rigid bond flat planar equal displacement fix special position',
    ],
  ]),
  ...sheetOf('refine', 'Data', 'data', [
    ['Resolution limits of the refinement', 'resolution limit cut off theta high low', 'High limit'],
    ['Extinction', 'secondary extinction', 'refine extinction'],
    ['Twin laws', 'twin twinning twinned law batch scale fraction', 'Twin laws'],
    ['Overlapped reflections', 'twin non-merohedral overlaps second component', 'Twin laws'],
    ['Solvent that cannot be modelled', 'solvent mask diffuse electrons', 'Solvent that cannot be modelled'],
    ['Plots of observed against calculated', 'fo fc plot normal probability variance outliers', 'Plots'],
  ]),
  ...sheetOf('refine', 'Aspherical atoms', 'data', [
    [
      'Aspherical atoms from a wavefunction',
      'quantum hirshfeld stockholder multipole charge spin density hydrogen neutron distance form factor',
    ],
  ]),
  ...sheetOf('refine', 'Expected molecule', 'structure', [
    ['Expected molecule', 'sketch molecule drawing smiles formula compare connectivity', 'Expected molecule'],
  ]),
  ...sheetOf('refine', 'Complete and name', 'structure', [
    ['Grow: complete molecules', 'grow symmetry equivalents complete fragment assemble', 'One step'],
    ['Connect the asymmetric unit', 'assemble move together', 'Connect the asymmetric unit'],
    ['Name and number atoms', 'rename labels numbering sort', 'along the chains'],
  ]),
  ...sheetOf('refine', 'Sites', 'structure', [
    ['Sites: coordinates, occupancies, U', 'atoms list positions coordinates table u eq ueq', 'Filter sites'],
  ]),
  ...sheetOf('relate', 'What is drawn', 'structure', [
    ['What is drawn: pack, slab, network', 'packing pack range block sphere supercell unit cell contents'],
  ]),
  ...sheetOf('relate', 'Bonds', 'structure', [
    ['Bonds: what counts as bonded', 'bond distance limit connectivity longest', 'Bonds'],
  ]),
  ...sheetOf('relate', 'Polyhedra', 'structure', [['Coordination polyhedra', 'polyhedron octahedron tetrahedron', '']]),
  ...sheetOf('relate', 'Coordination', 'structure', [
    ['Coordination: bond valence, distortion', 'valence sum continuous shape tau index distortion metal'],
  ]),
  ...sheetOf('relate', 'Looks', 'structure', [
    ['Colours and sizes of atoms', 'colour color radius style ball stick', 'Colours tell'],
    ['Labels beside atoms', 'label name number', 'Beside atoms'],
  ]),
  ...sheetOf('relate', 'Views', 'structure', [
    ['Look along an axis or a row', 'view direction orientation along zone axis', 'Index 1 of the row'],
    ['Look down a face normal', 'hkl plane normal view', 'Index 1 of the normal'],
    ['Turn about a bond or by an angle', 'rotate rotation turn about a bond', 'Angle of a turn'],
    ['Perspective and depth', 'fog depth cue perspective', 'Perspective'],
    ['Keep a view', 'save view bookmark', 'Name of the view'],
  ]),
  ...sheetOf('relate', 'Measures', 'structure', [
    ['Distances, angles and torsions', 'measure distance angle torsion dihedral plane', 'Index 1 of the row'],
  ]),
  ...sheetOf('relate', 'Contacts', 'structure', [
    ['Hydrogen bonds', 'hydrogen bond h-bond donor acceptor network graph set motif', 'Hydrogen bonds'],
    ['Halogen bonds', 'halogen', 'Halogen bonds'],
    ['Short contacts', 'close contacts van der waals intermolecular', 'Short contacts'],
    ['Stacking and contacts of rings', 'pi stacking π⋯π aromatic interaction', 'π⋯π'],
    ['Network of contacts', 'network chains layers motif packing', 'Hydrogen bonds'],
    ['A contact definition of one’s own', 'limits distance angle definition', 'One of my own'],
  ]),
  ...sheetOf('relate', 'Wishes', 'structure', [
    ['Wishes of the molecule', 'hot spots interaction preferences probe', 'Ask the molecule'],
  ]),
  ...sheetOf('relate', 'The molecule’s surface', 'structure', [
    ['The molecule’s surface', 'hirshfeld surface dnorm shape index curvedness', 'By its share of the density'],
    ['Fingerprints of the surface', 'fingerprint plot di de', 'Fingerprints'],
  ]),
  ...sheetOf('relate', 'Energies between molecules', 'structure', [
    ['Energies between molecules', 'interaction energy lattice energy framework', 'Work them out'],
  ]),
  ...sheetOf('relate', 'Empty space', 'structure', [
    ['Empty space', 'void voids pores solvent accessible channels packing coefficient', 'Look for it'],
  ]),
  ...sheetOf('relate', 'Shape of the crystal', 'structure', [
    ['Shape of the crystal', 'morphology habit faces growth face indexing', 'Show it'],
  ]),
  ...sheetOf('relate', 'Beside another crystal', 'structure', [
    ['Beside another crystal', 'compare structures polymorph isostructural packing similarity'],
  ]),
  ...sheetOf('relate', 'What to expect of a measurement', 'structure', [
    ['Calculated powder pattern', 'powder pattern simulate xrd', 'powder pattern'],
    ['Precession picture', 'precession reciprocal layer photograph', 'precession picture'],
    ['Structure factors', 'f calc reflection list', 'structure factors'],
  ]),
  ...sheetOf('relate', 'Bond lengths and angles', 'structure', [
    ['Bond lengths and angles', 'tables bonds angles lengths geometry', 'Show the tables'],
  ]),
  ...sheetOf('relate', 'Everything known about it', 'structure', [
    ['Everything known about it', 'information record temperature colour details properties', 'Show it all'],
  ]),
  ...sheetOf('relate', 'One over another', 'structure', [
    ['Lay one molecule over another', 'overlay superpose superposition rms fit conformers'],
  ]),
  ...sheetOf('relate', 'Rings', 'structure', [
    ['Rings: puckering and planarity', 'ring pucker conformation chair aromatic'],
  ]),
  ...sheetOf('relate', 'Planes to one another', 'structure', [
    ['Planes to one another', 'angle between planes ring distance offset', 'within'],
  ]),
  ...sheetOf('build', 'Cells', 'structure', [
    ['Supercell', 'supercell multiply expand', 'Multiples of a'],
    ['Primitive, conventional or reduced cell', 'primitive conventional reduced standard cell', 'Primitive'],
  ]),
  ...sheetOf('build', 'Strain', 'structure', [['Strain the cell', 'strain deform pressure lattice', 'Strain ε11']]),
  ...sheetOf('build', 'Slice and origin', 'structure', [
    ['Slice of the crystal', 'cut slice', 'Axis of the slice'],
    ['Move the origin', 'shift origin', 'New origin, x'],
  ]),
  ...sheetOf('build', 'Surface', 'structure', [['Slab with a surface', 'surface slab vacuum miller', 'Index h']]),
  ...sheetOf('build', 'Layers', 'structure', [
    ['Take out layers', 'exfoliate monolayer layer chain', 'How many layers'],
  ]),
  ...sheetOf('build', 'Stack', 'structure', [
    ['Stack two layers', 'heterostructure interface twist moire', 'Whose layer'],
  ]),
  ...sheetOf('build', 'A molecule above', 'structure', [
    ['A molecule above a surface', 'adsorb adsorbate', 'Small molecule'],
  ]),
  ...sheetOf('build', 'Sites', 'structure', [
    ['Change, move, add or remove a site', 'defect vacancy dopant edit atom add', 'Site that is meant'],
  ]),
  ...sheetOf('build', 'Substitute', 'structure', [
    ['Substitute an element', 'replace exchange dope element', 'What is replaced'],
  ]),
  ...sheetOf('build', 'Order what is shared', 'structure', [
    ['Order shared sites', 'ordering mixed occupancy partial'],
  ]),
  ...sheetOf('build', 'Leave with a file', 'structure', [
    ['Save the structure for another program', 'export file xyz write input', 'Format of the file'],
  ]),
  ...sheetOf('build', 'From symmetry', 'structure', [
    ['A crystal from its symmetry', 'type new structure prototype', 'Type or paste one'],
  ]),
  ...sheetOf('symmetry', 'Space group', 'structure', [
    [
      'The space group’s page',
      'operators positions wyckoff conditions international tables diagram',
      'Page of the space group',
    ],
  ]),
  ...sheetOf('symmetry', 'Symmetry missed?', 'structure', [
    ['Missed symmetry', 'higher symmetry supergroup pseudo-symmetry', 'Tolerance'],
  ]),
  ...sheetOf('symmetry', 'Setting', 'structure', [
    ['Another setting or other axes', 'transform matrix reset standard setting axes origin', 'Other axes'],
  ]),
  ...sheetOf('symmetry', 'Elements in the scene', 'structure', [
    ['Draw symmetry elements', 'mirror glide screw axis inversion centre show symmetry elements', 'labels'],
  ]),
  ...sheetOf('symmetry', 'Too much symmetry?', 'structure', [
    ['Go down to a subgroup', 'lower symmetry subgroup reduce', 'refine the twin fraction'],
  ]),
  ...sheetOf('vet', 'Vet', 'structure', [
    ['Vet: what speaks against the model', 'validate validation check errors problems'],
  ]),
  ...sheetOf('vet', 'All checks', 'structure', [['All checks', 'validation list tests']]),
  ...sheetOf('depict', 'Figures', 'structure', [['Figures for the paper', 'picture image figure publication draw']]),
  ...sheetOf('depict', 'Rules', 'figure', [['Rules of the figure', 'style ellipsoids colours']]),
  ...sheetOf('depict', 'Hidden', 'figure', [['Hidden in the figure', 'hide show']]),
  ...sheetOf('depict', 'Channels, cages and rings', 'figure', [
    ['Channels, cages and rings in the figure', 'find channel ring cage'],
  ]),
  ...sheetOf('depict', 'Labels', 'figure', [['Labels of the figure', 'label font']]),
  ...sheetOf('depict', 'Surfaces', 'figure', [['Surfaces in the figure', 'density void surface isosurface']]),
  ...sheetOf('depict', 'Written over it', 'figure', [
    ['Text and arrows over the figure', 'annotate annotation arrow text scale bar'],
  ]),
  ...sheetOf('depict', 'Save it', 'figure', [['Save the figure', 'export png svg pdf dpi resolution']]),
  ...sheetOf('publish', 'CIF', 'structure', [
    ['Take the CIF home', 'cif save export download deposit', 'Take the CIF home'],
  ]),
  ...sheetOf('publish', 'Form', 'structure', [
    ['Form of the CIF', 'metadata crystal colour size temperature author items fill in', 'Compound'],
  ]),
  ...sheetOf('publish', 'Experimental section', 'structure', [
    ['Experimental section', 'text paragraph supporting information', 'Experimental section'],
  ]),
  ...sheetOf('publish', 'Report', 'structure', [['Report', 'html print summary', 'Take the report home']]),
  ...sheetOf('fit', 'Pattern', 'pattern', [['The pattern that is fitted', 'background zero excluded region']]),
  ...sheetOf('fit', 'Peaks and phases', 'pattern', [
    ['Find peaks and identify phases', 'search match peak list identify'],
    ['An unknown cell', 'indexing index cell unknown'],
  ]),
  ...sheetOf('fit', 'Phases', 'pattern', [
    ['Phases and their amounts', 'phase quantification weight fraction scale add reference'],
  ]),
  ...sheetOf('fit', 'Parameters', 'pattern', [
    ['Parameters of the fit', 'rietveld profile size strain preferred orientation background'],
  ]),
  ...sheetOf('fit', 'Fit', 'pattern', [['Run the fit', 'rietveld refine recipe le bail pawley']]),
  ...sheetOf('fit', 'Results', 'pattern', [['Results of the fit', 'rwp chi weight percent r bragg']]),
  ...sheetOf('fit', 'Series', 'pattern', [['A series of patterns', 'batch sequence temperature']]),
  ...sheetOf('intake', 'Instrument', 'pattern', [
    ['Describe the instrument', 'wavelength resolution function diffractometer profile'],
  ]),
  ...sheetOf('intake', 'Calibrate with a standard', 'pattern', [
    ['Calibrate with a standard', 'lab6 silicon instrument calibration'],
  ]),
];

const plain = (text: string): string =>
  text
    .toLowerCase()
    .normalize('NFKD')
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/[’']/g, '');

/** How well what was typed names a thing: 0 not at all, 1 by another word for it, 2 by its own words, 3 from its beginning. */
export function nameMatch(typed: string, text: string, also = ''): 0 | 1 | 2 | 3 {
  const q = plain(typed).trim();
  const own = plain(text),
    all = `${own} ${plain(also)}`;
  const words = q.split(/\s+/);
  if (own.startsWith(q)) return 3;
  if (words.every((w) => own.includes(w))) return 2;
  // "bonds" asks for a bond, and "selecting" for a selection: the beginning of a longer word is enough.
  const stem = (w: string): string => (w.length > 4 ? w.replace(/(ing|s|es)$/, '') : w);
  return words.every((w) => all.includes(stem(w))) ? 1 : 0;
}
