/** What the terminal says of its commands. */
export const HELP = `Use:
  nagare merge  data.cif [--json]
  nagare solve  data.cif [--formula "C14 H16 N2 O3"] [--z 4] [--space-group "P 1 21/c 1"] [--seed 1] [--seconds 180] --out model.cif [--json]
  nagare refine model.cif [data.cif] [--adp iso|aniso] [--cycles 20] --out refined.cif [--json]
  nagare settle model.cif [data.cif] [--disorder try|ask] --out final.cif [--json]
  nagare symmetry model.cif [data.cif] [--tolerance 0.25] [--json]
  nagare check  model.cif [data.cif] [--json]
  nagare geometry model.cif [--rings] [--reach 5] [--json]
  nagare coordination model.cif [--centre Ti] [--json]
  nagare cell   model.cif [--json]
  nagare build  supercell in.cif --matrix "2,0,0;0,2,0;0,0,1" [--out x.cif|x.xyz|x.csv] [--json]
  nagare build  slab in.cif --plane 1,1,1 [--layers 3] [--vacuum 12] [--normal|--oblique] [--termination k] [--out x.xyz] [--json]
  nagare build  layer in.cif [--count 1] [--vacuum 12] [--out x.xyz] [--json]
  nagare build  primitive|conventional|reduced in.cif [--out x.cif] [--json]
  nagare build  crystal --group "F d -3 m" --cell 14.8 --sites sites.txt [--origin 1|2|judge] [--out x.cif] [--json]
  nagare build  substitute in.cif --site A1 --element Y [--rescale] [--out x.cif] [--json]
  nagare reset  model.cif --setting standard|"P 1 21/n 1"|"matrix;shift" --out new.cif [--json]
  nagare report model.cif [data.cif] --out report.html
  nagare pattern model.cif [--wavelength 1.5406] [--from 10 --to 120] [--json]
  nagare fit    pattern.xy --phase a.cif [--phase b.cif] [--instrument i.json] [--recipe quantify|cell|size|structure|profile] [--out result.cif] [--json]
  nagare index  peaks.txt|pattern.xy [--wavelength 1.5406] [--tolerance 0.03] [--json]
  nagare identify pattern.xy [--elements Zn,Ti,O] [--instrument i.json] [--json]`;
