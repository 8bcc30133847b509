/**
 * The collection that ships with Nagare: structure types of the textbooks with cells as the literature has them, and phases of the workshop
 * (made up). One line an entry: id | name | also called | space group | cell | sites (element x y z [occupancy]) | K | GPa | source | quality.
 * Symmetry fills in the constants left out of a cell. Quality: A positions refined and cell to 10⁻⁴; B cell good, positions ideal or rounded; C old or under
 * unusual conditions.
 */
export const ENTRIES_TABLE = `
silicon|Silicon|Si|F d -3 m :2|5.43102|Si 1/8 1/8 1/8|295|0|standard|A
silicon-1000|Silicon at 1000 K|Si|F d -3 m :2|5.4485|Si 1/8 1/8 1/8|1000|0|textbook|C
germanium|Germanium|Ge|F d -3 m :2|5.6579|Ge 1/8 1/8 1/8|295|0|textbook|A
diamond|Diamond|C|F d -3 m :2|3.5669|C 1/8 1/8 1/8|295|0|textbook|A
grey-tin|Grey tin|alpha tin|F d -3 m :2|6.4892|Sn 1/8 1/8 1/8|285|0|textbook|A
white-tin|White tin|beta tin|I 41/a m d :1|5.8318 3.1819|Sn 0 0 0|295|0|textbook|A
graphite|Graphite|2H|P 63/m m c|2.464 6.711|C 0 0 1/4; C 1/3 2/3 1/4|295|0|textbook|A
copper|Copper|Cu|F m -3 m|3.6149|Cu 0 0 0|295|0|textbook|A
silver|Silver|Ag|F m -3 m|4.0862|Ag 0 0 0|295|0|textbook|A
gold|Gold|Au|F m -3 m|4.0786|Au 0 0 0|295|0|textbook|A
aluminium|Aluminium|Al|F m -3 m|4.0495|Al 0 0 0|295|0|textbook|A
nickel|Nickel|Ni|F m -3 m|3.5238|Ni 0 0 0|295|0|textbook|A
lead|Lead|Pb|F m -3 m|4.9505|Pb 0 0 0|295|0|textbook|A
platinum|Platinum|Pt|F m -3 m|3.9236|Pt 0 0 0|295|0|textbook|A
iron|Iron|ferrite, alpha iron|I m -3 m|2.8665|Fe 0 0 0|295|0|textbook|A
austenite|Iron at 1250 K|gamma iron, austenite|F m -3 m|3.6599|Fe 0 0 0|1250|0|textbook|C
chromium|Chromium|Cr|I m -3 m|2.8848|Cr 0 0 0|295|0|textbook|A
tungsten|Tungsten|W|I m -3 m|3.1652|W 0 0 0|295|0|textbook|A
molybdenum|Molybdenum|Mo|I m -3 m|3.1472|Mo 0 0 0|295|0|textbook|A
magnesium|Magnesium|Mg|P 63/m m c|3.2094 5.2107|Mg 1/3 2/3 1/4|295|0|textbook|A
zinc|Zinc|Zn|P 63/m m c|2.6650 4.9470|Zn 1/3 2/3 1/4|295|0|textbook|A
titanium|Titanium|alpha titanium|P 63/m m c|2.9505 4.6826|Ti 1/3 2/3 1/4|295|0|textbook|A
cobalt|Cobalt|hexagonal|P 63/m m c|2.5071 4.0686|Co 1/3 2/3 1/4|295|0|textbook|A
tellurium|Tellurium|Te|P 31 2 1|4.4572 5.9290|Te 0.2636 0 1/3|295|0|textbook|A
selenium|Selenium|grey selenium|P 31 2 1|4.3662 4.9536|Se 0.2254 0 1/3|295|0|textbook|A
halite|Sodium chloride|halite, rock salt|F m -3 m|5.6402|Na 0 0 0; Cl 1/2 1/2 1/2|295|0|standard|A
halite-5gpa|Sodium chloride at 5 GPa|halite|F m -3 m|5.3160|Na 0 0 0; Cl 1/2 1/2 1/2|295|5|textbook|C
sylvite|Potassium chloride|sylvite|F m -3 m|6.2917|K 0 0 0; Cl 1/2 1/2 1/2|295|0|textbook|A
lithium-fluoride|Lithium fluoride|griceite|F m -3 m|4.0263|Li 0 0 0; F 1/2 1/2 1/2|295|0|textbook|A
sodium-fluoride|Sodium fluoride|villiaumite|F m -3 m|4.6329|Na 0 0 0; F 1/2 1/2 1/2|295|0|textbook|A
potassium-bromide|Potassium bromide|KBr|F m -3 m|6.6005|K 0 0 0; Br 1/2 1/2 1/2|295|0|textbook|A
silver-chloride|Silver chloride|chlorargyrite|F m -3 m|5.5491|Ag 0 0 0; Cl 1/2 1/2 1/2|295|0|textbook|A
caesium-chloride|Caesium chloride|CsCl|P m -3 m|4.1230|Cs 0 0 0; Cl 1/2 1/2 1/2|295|0|textbook|A
periclase|Magnesium oxide|periclase|F m -3 m|4.2112|Mg 0 0 0; O 1/2 1/2 1/2|295|0|textbook|A
periclase-1500|Magnesium oxide at 1500 K|periclase|F m -3 m|4.2880|Mg 0 0 0; O 1/2 1/2 1/2|1500|0|textbook|C
lime|Calcium oxide|lime|F m -3 m|4.8105|Ca 0 0 0; O 1/2 1/2 1/2|295|0|textbook|A
bunsenite|Nickel oxide|bunsenite|F m -3 m|4.1771|Ni 0 0 0; O 1/2 1/2 1/2|295|0|textbook|B
cobalt-monoxide|Cobalt monoxide|CoO|F m -3 m|4.2612|Co 0 0 0; O 1/2 1/2 1/2|295|0|textbook|B
manganosite|Manganese monoxide|manganosite|F m -3 m|4.4448|Mn 0 0 0; O 1/2 1/2 1/2|295|0|textbook|B
wuestite|Iron monoxide|wuestite, iron-deficient|F m -3 m|4.3070|Fe 0 0 0 0.947; O 1/2 1/2 1/2|295|0|textbook|B
galena|Lead sulfide|galena|F m -3 m|5.9362|Pb 0 0 0; S 1/2 1/2 1/2|295|0|textbook|A
fluorite|Calcium fluoride|fluorite|F m -3 m|5.4630|Ca 0 0 0; F 1/4 1/4 1/4|295|0|textbook|A
barium-fluoride|Barium fluoride|frankdicksonite|F m -3 m|6.2001|Ba 0 0 0; F 1/4 1/4 1/4|295|0|textbook|A
ceria|Cerium dioxide|cerianite|F m -3 m|5.4113|Ce 0 0 0; O 1/4 1/4 1/4|295|0|standard|A
thoria|Thorium dioxide|thorianite|F m -3 m|5.5997|Th 0 0 0; O 1/4 1/4 1/4|295|0|textbook|A
zirconia-cubic|Zirconia, stabilised with calcia|cubic zirconia|F m -3 m|5.1350|Zr 0 0 0 0.85; Ca 0 0 0 0.15; O 1/4 1/4 1/4 0.925|295|0|textbook|B
zirconia-tetragonal|Zirconia, tetragonal at 1500 K|ZrO2|P 42/n m c :2|3.6400 5.2700|Zr 3/4 1/4 3/4; O 1/4 1/4 0.4600|1500|0|textbook|C
baddeleyite|Zirconia, monoclinic|baddeleyite|P 1 21/c 1|5.1505 5.2116 5.3173 90 99.23 90|Zr 0.2754 0.0395 0.2083; O 0.0700 0.3317 0.3477; O 0.4496 0.7569 0.4792|295|0|textbook|A
sphalerite|Zinc sulfide, cubic|sphalerite|F -4 3 m|5.4093|Zn 0 0 0; S 1/4 1/4 1/4|295|0|textbook|A
zinc-selenide|Zinc selenide|stilleite|F -4 3 m|5.6685|Zn 0 0 0; Se 1/4 1/4 1/4|295|0|textbook|A
gallium-arsenide|Gallium arsenide|GaAs|F -4 3 m|5.6533|Ga 0 0 0; As 1/4 1/4 1/4|295|0|textbook|A
silicon-carbide|Silicon carbide|3C|F -4 3 m|4.3596|Si 0 0 0; C 1/4 1/4 1/4|295|0|textbook|A
wurtzite|Zinc sulfide, hexagonal|wurtzite|P 63 m c|3.8225 6.2610|Zn 1/3 2/3 0; S 1/3 2/3 0.3748|295|0|textbook|A
zincite|Zinc oxide|zincite|P 63 m c|3.2498 5.2066|Zn 1/3 2/3 0; O 1/3 2/3 0.3819|295|0|standard|A
zincite-old|Zinc oxide, old photograph|zincite|P 63 m c|3.2700 5.2400|Zn 1/3 2/3 0; O 1/3 2/3 0.3750|293|0|textbook|C
greenockite|Cadmium sulfide|greenockite|P 63 m c|4.1365 6.7160|Cd 1/3 2/3 0; S 1/3 2/3 0.3770|295|0|textbook|A
rutile|Titanium dioxide, rutile|TiO2|P 42/m n m|4.5937 2.9587|Ti 0 0 0; O 0.3053 0.3053 0|295|0|standard|A
anatase|Titanium dioxide, anatase|TiO2|I 41/a m d :2|3.7845 9.5143|Ti 0 3/4 1/8; O 0 1/4 0.0816|295|0|textbook|A
cassiterite|Tin dioxide|cassiterite|P 42/m n m|4.7382 3.1871|Sn 0 0 0; O 0.3071 0.3071 0|295|0|textbook|A
pyrolusite|Manganese dioxide|pyrolusite|P 42/m n m|4.3983 2.8730|Mn 0 0 0; O 0.3046 0.3046 0|295|0|textbook|A
stishovite|Silica at high pressure|stishovite|P 42/m n m|4.1772 2.6651|Si 0 0 0; O 0.3061 0.3061 0|295|10|textbook|C
quartz|Silica, low quartz|alpha quartz|P 32 2 1|4.9134 5.4052|Si 0.4697 0 2/3; O 0.4133 0.2672 0.7857|295|0|standard|A
quartz-high|Silica, high quartz at 870 K|beta quartz|P 62 2 2|4.9970 5.4560|Si 1/2 0 0; O 0.2072 0.4144 1/2|870|0|textbook|C
cristobalite|Silica, low cristobalite|alpha cristobalite|P 41 21 2|4.9717 6.9222|Si 0.3003 0.3003 0; O 0.2392 0.1044 0.1787|295|0|textbook|A
corundum|Aluminium oxide|corundum|R -3 c :H|4.7589 12.9919|Al 0 0 0.3522; O 0.3063 0 1/4|295|0|standard|A
haematite|Iron(III) oxide|haematite|R -3 c :H|5.0356 13.7489|Fe 0 0 0.3553; O 0.3059 0 1/4|295|0|textbook|A
eskolaite|Chromium(III) oxide|eskolaite|R -3 c :H|4.9588 13.5942|Cr 0 0 0.3475; O 0.3058 0 1/4|295|0|textbook|A
ilmenite-zinc|Zinc titanate|ZnTiO3, ilmenite type|R -3 :H|5.0787 13.9271|Zn 0 0 0.3620; Ti 0 0 0.1440; O 0.3185 0.0208 0.2458|295|0|textbook|B
ilmenite|Iron titanate|ilmenite|R -3 :H|5.0884 14.0855|Fe 0 0 0.3554; Ti 0 0 0.1464; O 0.3174 0.0233 0.2451|295|0|textbook|A
spinel|Magnesium aluminate|spinel|F d -3 m :2|8.0831|Mg 1/8 1/8 1/8; Al 1/2 1/2 1/2; O 0.2624 0.2624 0.2624|295|0|textbook|A
gahnite|Zinc aluminate|gahnite|F d -3 m :2|8.0848|Zn 1/8 1/8 1/8; Al 1/2 1/2 1/2; O 0.2636 0.2636 0.2636|295|0|textbook|A
cobalt-aluminate|Cobalt aluminate|cobalt blue|F d -3 m :2|8.1066|Co 1/8 1/8 1/8; Al 1/2 1/2 1/2; O 0.2635 0.2635 0.2635|295|0|textbook|A
magnetite|Iron(II,III) oxide|magnetite|F d -3 m :2|8.3941|Fe 1/8 1/8 1/8; Fe 1/2 1/2 1/2; O 0.2549 0.2549 0.2549|295|0|textbook|A
cobalt-spinel|Cobalt(II,III) oxide|Co3O4|F d -3 m :2|8.0837|Co 1/8 1/8 1/8; Co 1/2 1/2 1/2; O 0.2631 0.2631 0.2631|295|0|textbook|A
zinc-titanate-spinel|Dizinc titanate|Zn2TiO4, inverse spinel|F d -3 m :2|8.4602|Zn 1/8 1/8 1/8; Zn 1/2 1/2 1/2 0.5; Ti 1/2 1/2 1/2 0.5; O 0.2604 0.2604 0.2604|295|0|textbook|B
cuprite|Copper(I) oxide|cuprite|P n -3 m :2|4.2696|Cu 0 0 0; O 1/4 1/4 1/4|295|0|textbook|A
tenorite|Copper(II) oxide|tenorite|C 1 2/c 1|4.6837 3.4226 5.1288 90 99.54 90|Cu 1/4 1/4 0; O 0 0.4184 1/4|295|0|textbook|A
litharge|Lead monoxide|litharge|P 4/n m m :2|3.9719 5.0230|Pb 1/4 1/4 0.2345; O 3/4 1/4 0|295|0|textbook|A
strontium-titanate|Strontium titanate|tausonite|P m -3 m|3.9051|Sr 1/2 1/2 1/2; Ti 0 0 0; O 1/2 0 0|295|0|textbook|A
barium-titanate|Barium titanate|barioperovskite|P 4 m m|3.9945 4.0335|Ba 0 0 0; Ti 1/2 1/2 0.5170; O 1/2 1/2 -0.0260; O 1/2 0 0.4850|295|0|textbook|A
perovskite|Calcium titanate|perovskite|P n m a|5.4423 7.6401 5.3796|Ca 0.0360 1/4 -0.0068; Ti 0 0 1/2; O 0.4838 1/4 0.0717; O 0.2888 0.0371 0.7112|295|0|textbook|A
rhenium-trioxide|Rhenium trioxide|ReO3|P m -3 m|3.7477|Re 0 0 0; O 1/2 0 0|295|0|textbook|A
pyrite|Iron disulfide|pyrite|P a -3|5.4166|Fe 0 0 0; S 0.3851 0.3851 0.3851|295|0|textbook|A
calcite|Calcium carbonate, calcite|CaCO3|R -3 c :H|4.9896 17.0610|Ca 0 0 0; C 0 0 1/4; O 0.2570 0 1/4|295|0|textbook|A
magnesite|Magnesium carbonate|magnesite|R -3 c :H|4.6328 15.0129|Mg 0 0 0; C 0 0 1/4; O 0.2775 0 1/4|295|0|textbook|A
aragonite|Calcium carbonate, aragonite|CaCO3|P m c n|4.9614 7.9671 5.7404|Ca 1/4 0.4150 0.7597; C 1/4 0.7622 0.9138; O 1/4 0.9225 0.9038; O 0.4735 0.6810 0.9128|295|0|textbook|A
dolomite|Calcium magnesium carbonate|dolomite|R -3 :H|4.8069 16.0034|Ca 0 0 0; Mg 0 0 1/2; C 0 0 0.2428; O 0.2480 -0.0354 0.2440|295|0|textbook|A
baryte|Barium sulfate|baryte|P n m a|8.8840 5.4583 7.1526|Ba 0.1845 1/4 0.1584; S 0.4375 3/4 0.1908; O 0.5870 3/4 0.1051; O 0.3176 3/4 0.0498; O 0.4194 0.9704 0.3118|295|0|textbook|A
zircon|Zirconium silicate|zircon|I 41/a m d :2|6.6070 5.9820|Zr 0 3/4 1/8; Si 0 1/4 3/8; O 0 0.0661 0.1953|295|0|textbook|A
forsterite|Magnesium silicate|forsterite|P b n m|4.7540 10.1971 5.9806|Mg 0 0 0; Mg 0.9915 0.2774 1/4; Si 0.4262 0.0940 1/4; O 0.7657 0.0913 1/4; O 0.2215 0.4474 1/4; O 0.2777 0.1628 0.0331|295|0|textbook|A
brucite|Magnesium hydroxide|brucite|P -3 m 1|3.1420 4.7660|Mg 0 0 0; O 1/3 2/3 0.2203; H 1/3 2/3 0.4303|295|0|textbook|A
portlandite|Calcium hydroxide|portlandite|P -3 m 1|3.5890 4.9110|Ca 0 0 0; O 1/3 2/3 0.2341; H 1/3 2/3 0.4280|295|0|textbook|A
goethite|Iron oxide hydroxide|goethite|P n m a|9.9560 3.0215 4.6080|Fe 0.1459 1/4 -0.0486; O -0.1989 1/4 0.2880; O -0.0530 1/4 -0.1980|295|0|textbook|B
urea|Urea|carbamide|P -4 21 m|5.6450 4.7040|C 0 1/2 0.3260; O 0 1/2 0.5953; N 0.1459 0.6459 0.1766; H 0.2575 0.7575 0.2827; H 0.1441 0.6441 -0.0380|295|0|textbook|A
hexamine|Hexamethylenetetramine|urotropine|I -4 3 m|7.0210|C 0.2380 0 0; N 0.1230 0.1230 0.1230; H 0.0880 0.0880 -0.3270|295|0|textbook|A
benzene|Benzene at 138 K|C6H6|P b c a|7.3900 9.4200 6.8100|C -0.0569 0.1387 -0.0054; C -0.1335 0.0460 0.1264; C -0.0774 -0.0925 0.1295; H -0.0976 0.2447 -0.0177; H -0.2409 0.0794 0.2218; H -0.1371 -0.1631 0.2312|138|0|textbook|C
dry-ice|Carbon dioxide at 150 K|dry ice|P a -3|5.6240|C 0 0 0; O 0.1185 0.1185 0.1185|150|0|textbook|C
ice|Ice at 250 K|ice Ih|P 63/m m c|4.5181 7.3560|O 1/3 2/3 0.0622; H 1/3 2/3 0.1989 0.5; H 0.4548 0.9096 0.0179 0.5|250|0|textbook|C
kurobane-blue|Kurobane blue|pigment of the kiln, (Co,Zn)Al2O4|F d -3 m :2|8.0950|Co 1/8 1/8 1/8 0.6; Zn 1/8 1/8 1/8 0.4; Al 1/2 1/2 1/2; O 0.2636 0.2636 0.2636|295|0|Kurobane Kiln archive|B
yamabuki-frit|Yamabuki|opacifier of the kiln, (Sn,Ti)O2|P 42/m n m|4.7010 3.1460|Sn 0 0 0 0.8; Ti 0 0 0 0.2; O 0.3067 0.3067 0|295|0|Kurobane Kiln archive|B
usuki|Usuki|flux of the kiln, (Ca,Sr)F2|F m -3 m|5.5620|Ca 0 0 0 0.7; Sr 0 0 0 0.3; F 1/4 1/4 1/4|295|0|Kurobane Kiln archive|B
kogane|Kogane|lustre of the kiln, (Cu,Au)|F m -3 m|3.8560|Cu 0 0 0 0.5; Au 0 0 0 0.5|295|0|Kurobane Kiln archive|B
shirogane|Shirogane|white of the kiln, (Mg,Zn)O|F m -3 m|4.2205|Mg 0 0 0 0.9; Zn 0 0 0 0.1; O 1/2 1/2 1/2|295|0|Kurobane Kiln archive|B
asagi-titanate|Asagi titanate|(Sr,Ba)TiO3 of the kiln|P m -3 m|3.9310|Sr 1/2 1/2 1/2 0.7; Ba 1/2 1/2 1/2 0.3; Ti 0 0 0; O 1/2 0 0|295|0|Kurobane Kiln archive|B
bengara|Bengara|red of the kiln, (Fe,Al)2O3|R -3 c :H|5.0210 13.7040|Fe 0 0 0.3550 0.93; Al 0 0 0.3550 0.07; O 0.3060 0 1/4|295|0|Kurobane Kiln archive|B
rokubyo|Rokubyo|green of the kiln, (Cr,Al)2O3|R -3 c :H|4.9080 13.4500|Cr 0 0 0.3485 0.75; Al 0 0 0.3485 0.25; O 0.3060 0 1/4|295|0|Kurobane Kiln archive|B
`;
