/**
 * The tabulated settings of the 230 space-group types: number | code | Hermann–Mauguin | Hall.
 * From International Tables B 1.4 (Hall symbols) and A (Hermann–Mauguin symbols); checked in the tests by
 * closure, order, conjugacy of all settings of a type, and the counts of classes and lattices.
 * Several settings of a type stand on one line, separated by ";".
 */
export const SETTINGS_TABLE = `
1||P 1|P 1
2||P -1|-P 1
3|b|P 1 2 1|P 2y;c|P 1 1 2|P 2;a|P 2 1 1|P 2x
4|b|P 1 21 1|P 2yb;c|P 1 1 21|P 2c;a|P 21 1 1|P 2xa
5|b1|C 1 2 1|C 2y;b2|A 1 2 1|A 2y;b3|I 1 2 1|I 2y;c1|A 1 1 2|A 2;c2|B 1 1 2|B 2;c3|I 1 1 2|I 2;a1|B 2 1 1|B 2x;a2|C 2 1 1|C 2x;a3|I 2 1 1|I 2x
6|b|P 1 m 1|P -2y;c|P 1 1 m|P -2;a|P m 1 1|P -2x
7|b1|P 1 c 1|P -2yc;b2|P 1 n 1|P -2yac;b3|P 1 a 1|P -2ya;c1|P 1 1 a|P -2a;c2|P 1 1 n|P -2ab;c3|P 1 1 b|P -2b;a1|P b 1 1|P -2xb;a2|P n 1 1|P -2xbc;a3|P c 1 1|P -2xc
8|b1|C 1 m 1|C -2y;b2|A 1 m 1|A -2y;b3|I 1 m 1|I -2y;c1|A 1 1 m|A -2;c2|B 1 1 m|B -2;c3|I 1 1 m|I -2;a1|B m 1 1|B -2x;a2|C m 1 1|C -2x;a3|I m 1 1|I -2x
9|b1|C 1 c 1|C -2yc;b2|A 1 n 1|A -2yab;b3|I 1 a 1|I -2ya;-b1|A 1 a 1|A -2ya;-b2|C 1 n 1|C -2yac;-b3|I 1 c 1|I -2yc;c1|A 1 1 a|A -2a;c2|B 1 1 n|B -2ab;c3|I 1 1 b|I -2b;-c1|B 1 1 b|B -2b;-c2|A 1 1 n|A -2ab;-c3|I 1 1 a|I -2a;a1|B b 1 1|B -2xb;a2|C n 1 1|C -2xac;a3|I c 1 1|I -2xc;-a1|C c 1 1|C -2xc;-a2|B n 1 1|B -2xab;-a3|I b 1 1|I -2xb
10|b|P 1 2/m 1|-P 2y;c|P 1 1 2/m|-P 2;a|P 2/m 1 1|-P 2x
11|b|P 1 21/m 1|-P 2yb;c|P 1 1 21/m|-P 2c;a|P 21/m 1 1|-P 2xa
12|b1|C 1 2/m 1|-C 2y;b2|A 1 2/m 1|-A 2y;b3|I 1 2/m 1|-I 2y;c1|A 1 1 2/m|-A 2;c2|B 1 1 2/m|-B 2;c3|I 1 1 2/m|-I 2;a1|B 2/m 1 1|-B 2x;a2|C 2/m 1 1|-C 2x;a3|I 2/m 1 1|-I 2x
13|b1|P 1 2/c 1|-P 2yc;b2|P 1 2/n 1|-P 2yac;b3|P 1 2/a 1|-P 2ya;c1|P 1 1 2/a|-P 2a;c2|P 1 1 2/n|-P 2ab;c3|P 1 1 2/b|-P 2b;a1|P 2/b 1 1|-P 2xb;a2|P 2/n 1 1|-P 2xbc;a3|P 2/c 1 1|-P 2xc
14|b1|P 1 21/c 1|-P 2ybc;b2|P 1 21/n 1|-P 2yn;b3|P 1 21/a 1|-P 2yab;c1|P 1 1 21/a|-P 2ac;c2|P 1 1 21/n|-P 2n;c3|P 1 1 21/b|-P 2bc;a1|P 21/b 1 1|-P 2xab;a2|P 21/n 1 1|-P 2xn;a3|P 21/c 1 1|-P 2xac
15|b1|C 1 2/c 1|-C 2yc;b2|A 1 2/n 1|-A 2yab;b3|I 1 2/a 1|-I 2ya;-b1|A 1 2/a 1|-A 2ya;-b2|C 1 2/n 1|-C 2yac;-b3|I 1 2/c 1|-I 2yc;c1|A 1 1 2/a|-A 2a;c2|B 1 1 2/n|-B 2ab;c3|I 1 1 2/b|-I 2b;-c1|B 1 1 2/b|-B 2b;-c2|A 1 1 2/n|-A 2ab;-c3|I 1 1 2/a|-I 2a;a1|B 2/b 1 1|-B 2xb;a2|C 2/n 1 1|-C 2xac;a3|I 2/c 1 1|-I 2xc;-a1|C 2/c 1 1|-C 2xc;-a2|B 2/n 1 1|-B 2xab;-a3|I 2/b 1 1|-I 2xb
16||P 2 2 2|P 2 2
17||P 2 2 21|P 2c 2;cab|P 21 2 2|P 2a 2a;bca|P 2 21 2|P 2 2b
18||P 21 21 2|P 2 2ab;cab|P 2 21 21|P 2bc 2;bca|P 21 2 21|P 2ac 2ac
19||P 21 21 21|P 2ac 2ab
20||C 2 2 21|C 2c 2;cab|A 21 2 2|A 2a 2a;bca|B 2 21 2|B 2 2b
21||C 2 2 2|C 2 2;cab|A 2 2 2|A 2 2;bca|B 2 2 2|B 2 2
22||F 2 2 2|F 2 2
23||I 2 2 2|I 2 2
24||I 21 21 21|I 2b 2c
25||P m m 2|P 2 -2;cab|P 2 m m|P -2 2;bca|P m 2 m|P -2 -2
26||P m c 21|P 2c -2;ba-c|P c m 21|P 2c -2c;cab|P 21 m a|P -2a 2a;-cba|P 21 a m|P -2 2a;bca|P b 21 m|P -2 -2b;a-cb|P m 21 b|P -2b -2
27||P c c 2|P 2 -2c;cab|P 2 a a|P -2a 2;bca|P b 2 b|P -2b -2b
28||P m a 2|P 2 -2a;ba-c|P b m 2|P 2 -2b;cab|P 2 m b|P -2b 2;-cba|P 2 c m|P -2c 2;bca|P c 2 m|P -2c -2c;a-cb|P m 2 a|P -2a -2a
29||P c a 21|P 2c -2ac;ba-c|P b c 21|P 2c -2b;cab|P 21 a b|P -2b 2a;-cba|P 21 c a|P -2ac 2a;bca|P c 21 b|P -2bc -2c;a-cb|P b 21 a|P -2a -2ab
30||P n c 2|P 2 -2bc;ba-c|P c n 2|P 2 -2ac;cab|P 2 n a|P -2ac 2;-cba|P 2 a n|P -2ab 2;bca|P b 2 n|P -2ab -2ab;a-cb|P n 2 b|P -2bc -2bc
31||P m n 21|P 2ac -2;ba-c|P n m 21|P 2bc -2bc;cab|P 21 m n|P -2ab 2ab;-cba|P 21 n m|P -2 2ac;bca|P n 21 m|P -2 -2bc;a-cb|P m 21 n|P -2ab -2
32||P b a 2|P 2 -2ab;cab|P 2 c b|P -2bc 2;bca|P c 2 a|P -2ac -2ac
33||P n a 21|P 2c -2n;ba-c|P b n 21|P 2c -2ab;cab|P 21 n b|P -2bc 2a;-cba|P 21 c n|P -2n 2a;bca|P c 21 n|P -2n -2ac;a-cb|P n 21 a|P -2ac -2n
34||P n n 2|P 2 -2n;cab|P 2 n n|P -2n 2;bca|P n 2 n|P -2n -2n
35||C m m 2|C 2 -2;cab|A 2 m m|A -2 2;bca|B m 2 m|B -2 -2
36||C m c 21|C 2c -2;ba-c|C c m 21|C 2c -2c;cab|A 21 m a|A -2a 2a;-cba|A 21 a m|A -2 2a;bca|B b 21 m|B -2 -2b;a-cb|B m 21 b|B -2b -2
37||C c c 2|C 2 -2c;cab|A 2 a a|A -2a 2;bca|B b 2 b|B -2b -2b
38||A m m 2|A 2 -2;ba-c|B m m 2|B 2 -2;cab|B 2 m m|B -2 2;-cba|C 2 m m|C -2 2;bca|C m 2 m|C -2 -2;a-cb|A m 2 m|A -2 -2
39||A e m 2|A 2 -2b;ba-c|B m e 2|B 2 -2a;cab|B 2 e m|B -2a 2;-cba|C 2 m e|C -2a 2;bca|C m 2 e|C -2a -2a;a-cb|A e 2 m|A -2b -2b
40||A m a 2|A 2 -2a;ba-c|B b m 2|B 2 -2b;cab|B 2 m b|B -2b 2;-cba|C 2 c m|C -2c 2;bca|C c 2 m|C -2c -2c;a-cb|A m 2 a|A -2a -2a
41||A e a 2|A 2 -2ab;ba-c|B b e 2|B 2 -2ab;cab|B 2 e b|B -2ab 2;-cba|C 2 c e|C -2ac 2;bca|C c 2 e|C -2ac -2ac;a-cb|A e 2 a|A -2ab -2ab
42||F m m 2|F 2 -2;cab|F 2 m m|F -2 2;bca|F m 2 m|F -2 -2
43||F d d 2|F 2 -2d;cab|F 2 d d|F -2d 2;bca|F d 2 d|F -2d -2d
44||I m m 2|I 2 -2;cab|I 2 m m|I -2 2;bca|I m 2 m|I -2 -2
45||I b a 2|I 2 -2c;cab|I 2 c b|I -2a 2;bca|I c 2 a|I -2b -2b
46||I m a 2|I 2 -2a;ba-c|I b m 2|I 2 -2b;cab|I 2 m b|I -2b 2;-cba|I 2 c m|I -2c 2;bca|I c 2 m|I -2c -2c;a-cb|I m 2 a|I -2a -2a
47||P m m m|-P 2 2
48|1|P n n n|P 2 2 -1n;2|P n n n|-P 2ab 2bc
49||P c c m|-P 2 2c;cab|P m a a|-P 2a 2;bca|P b m b|-P 2b 2b
50|1|P b a n|P 2 2 -1ab;2|P b a n|-P 2ab 2b;1cab|P n c b|P 2 2 -1bc;2cab|P n c b|-P 2b 2bc;1bca|P c n a|P 2 2 -1ac;2bca|P c n a|-P 2a 2c
51||P m m a|-P 2a 2a;ba-c|P m m b|-P 2b 2;cab|P b m m|-P 2 2b;-cba|P c m m|-P 2c 2c;bca|P m c m|-P 2c 2;a-cb|P m a m|-P 2 2a
52||P n n a|-P 2a 2bc;ba-c|P n n b|-P 2b 2n;cab|P b n n|-P 2n 2b;-cba|P c n n|-P 2ab 2c;bca|P n c n|-P 2ab 2n;a-cb|P n a n|-P 2n 2bc
53||P m n a|-P 2ac 2;ba-c|P n m b|-P 2bc 2bc;cab|P b m n|-P 2ab 2ab;-cba|P c n m|-P 2 2ac;bca|P n c m|-P 2 2bc;a-cb|P m a n|-P 2ab 2
54||P c c a|-P 2a 2ac;ba-c|P c c b|-P 2b 2c;cab|P b a a|-P 2a 2b;-cba|P c a a|-P 2ac 2c;bca|P b c b|-P 2bc 2b;a-cb|P b a b|-P 2b 2ab
55||P b a m|-P 2 2ab;cab|P m c b|-P 2bc 2;bca|P c m a|-P 2ac 2ac
56||P c c n|-P 2ab 2ac;cab|P n a a|-P 2ac 2bc;bca|P b n b|-P 2bc 2ab
57||P b c m|-P 2c 2b;ba-c|P c a m|-P 2c 2ac;cab|P m c a|-P 2ac 2a;-cba|P m a b|-P 2b 2a;bca|P b m a|-P 2a 2ab;a-cb|P c m b|-P 2bc 2c
58||P n n m|-P 2 2n;cab|P m n n|-P 2n 2;bca|P n m n|-P 2n 2n
59|1|P m m n|P 2 2ab -1ab;2|P m m n|-P 2ab 2a;1cab|P n m m|P 2bc 2 -1bc;2cab|P n m m|-P 2c 2bc;1bca|P m n m|P 2ac 2ac -1ac;2bca|P m n m|-P 2c 2a
60||P b c n|-P 2n 2ab;ba-c|P c a n|-P 2n 2c;cab|P n c a|-P 2a 2n;-cba|P n a b|-P 2bc 2n;bca|P b n a|-P 2ac 2b;a-cb|P c n b|-P 2b 2ac
61||P b c a|-P 2ac 2ab;ba-c|P c a b|-P 2bc 2ac
62||P n m a|-P 2ac 2n;ba-c|P m n b|-P 2bc 2a;cab|P b n m|-P 2c 2ab;-cba|P c m n|-P 2n 2ac;bca|P m c n|-P 2n 2a;a-cb|P n a m|-P 2c 2n
63||C m c m|-C 2c 2;ba-c|C c m m|-C 2c 2c;cab|A m m a|-A 2a 2a;-cba|A m a m|-A 2 2a;bca|B b m m|-B 2 2b;a-cb|B m m b|-B 2b 2
64||C m c e|-C 2ac 2;ba-c|C c m e|-C 2ac 2ac;cab|A e m a|-A 2ab 2ab;-cba|A e a m|-A 2 2ab;bca|B b e m|-B 2 2ab;a-cb|B m e b|-B 2ab 2
65||C m m m|-C 2 2;cab|A m m m|-A 2 2;bca|B m m m|-B 2 2
66||C c c m|-C 2 2c;cab|A m a a|-A 2a 2;bca|B b m b|-B 2b 2b
67||C m m e|-C 2a 2;ba-c|C m m e|-C 2a 2a;cab|A e m m|-A 2b 2b;-cba|A e m m|-A 2 2b;bca|B m e m|-B 2 2a;a-cb|B m e m|-B 2a 2
68|1|C c c e|C 2 2 -1ac;2|C c c e|-C 2a 2ac;1ba-c|C c c e|C 2 2 -1ac;2ba-c|C c c e|-C 2a 2c;1cab|A e a a|A 2 2 -1ab;2cab|A e a a|-A 2a 2b;1-cba|A e a a|A 2 2 -1ab;2-cba|A e a a|-A 2ab 2b;1bca|B b e b|B 2 2 -1ab;2bca|B b e b|-B 2ab 2b;1a-cb|B b e b|B 2 2 -1ab;2a-cb|B b e b|-B 2b 2ab
69||F m m m|-F 2 2
70|1|F d d d|F 2 2 -1d;2|F d d d|-F 2uv 2vw
71||I m m m|-I 2 2
72||I b a m|-I 2 2c;cab|I m c b|-I 2a 2;bca|I c m a|-I 2b 2b
73||I b c a|-I 2b 2c;ba-c|I c a b|-I 2a 2b
74||I m m a|-I 2b 2;ba-c|I m m b|-I 2a 2a;cab|I b m m|-I 2c 2c;-cba|I c m m|-I 2 2b;bca|I m c m|-I 2 2a;a-cb|I m a m|-I 2c 2
75||P 4|P 4
76||P 41|P 4w
77||P 42|P 4c
78||P 43|P 4cw
79||I 4|I 4
80||I 41|I 4bw
81||P -4|P -4
82||I -4|I -4
83||P 4/m|-P 4
84||P 42/m|-P 4c
85|1|P 4/n|P 4ab -1ab;2|P 4/n|-P 4a
86|1|P 42/n|P 4n -1n;2|P 42/n|-P 4bc
87||I 4/m|-I 4
88|1|I 41/a|I 4bw -1bw;2|I 41/a|-I 4ad
89||P 4 2 2|P 4 2
90||P 4 21 2|P 4ab 2ab
91||P 41 2 2|P 4w 2c
92||P 41 21 2|P 4abw 2nw
93||P 42 2 2|P 4c 2
94||P 42 21 2|P 4n 2n
95||P 43 2 2|P 4cw 2c
96||P 43 21 2|P 4nw 2abw
97||I 4 2 2|I 4 2
98||I 41 2 2|I 4bw 2bw
99||P 4 m m|P 4 -2
100||P 4 b m|P 4 -2ab
101||P 42 c m|P 4c -2c
102||P 42 n m|P 4n -2n
103||P 4 c c|P 4 -2c
104||P 4 n c|P 4 -2n
105||P 42 m c|P 4c -2
106||P 42 b c|P 4c -2ab
107||I 4 m m|I 4 -2
108||I 4 c m|I 4 -2c
109||I 41 m d|I 4bw -2
110||I 41 c d|I 4bw -2c
111||P -4 2 m|P -4 2
112||P -4 2 c|P -4 2c
113||P -4 21 m|P -4 2ab
114||P -4 21 c|P -4 2n
115||P -4 m 2|P -4 -2
116||P -4 c 2|P -4 -2c
117||P -4 b 2|P -4 -2ab
118||P -4 n 2|P -4 -2n
119||I -4 m 2|I -4 -2
120||I -4 c 2|I -4 -2c
121||I -4 2 m|I -4 2
122||I -4 2 d|I -4 2bw
123||P 4/m m m|-P 4 2
124||P 4/m c c|-P 4 2c
125|1|P 4/n b m|P 4 2 -1ab;2|P 4/n b m|-P 4a 2b
126|1|P 4/n n c|P 4 2 -1n;2|P 4/n n c|-P 4a 2bc
127||P 4/m b m|-P 4 2ab
128||P 4/m n c|-P 4 2n
129|1|P 4/n m m|P 4ab 2ab -1ab;2|P 4/n m m|-P 4a 2a
130|1|P 4/n c c|P 4ab 2n -1ab;2|P 4/n c c|-P 4a 2ac
131||P 42/m m c|-P 4c 2
132||P 42/m c m|-P 4c 2c
133|1|P 42/n b c|P 4n 2c -1n;2|P 42/n b c|-P 4ac 2b
134|1|P 42/n n m|P 4n 2 -1n;2|P 42/n n m|-P 4ac 2bc
135||P 42/m b c|-P 4c 2ab
136||P 42/m n m|-P 4n 2n
137|1|P 42/n m c|P 4n 2n -1n;2|P 42/n m c|-P 4ac 2a
138|1|P 42/n c m|P 4n 2ab -1n;2|P 42/n c m|-P 4ac 2ac
139||I 4/m m m|-I 4 2
140||I 4/m c m|-I 4 2c
141|1|I 41/a m d|I 4bw 2bw -1bw;2|I 41/a m d|-I 4bd 2
142|1|I 41/a c d|I 4bw 2aw -1bw;2|I 41/a c d|-I 4bd 2c
143||P 3|P 3
144||P 31|P 31
145||P 32|P 32
146|H|R 3|R 3;R|R 3|P 3*
147||P -3|-P 3
148|H|R -3|-R 3;R|R -3|-P 3*
149||P 3 1 2|P 3 2
150||P 3 2 1|P 3 2"
151||P 31 1 2|P 31 2c (0 0 1)
152||P 31 2 1|P 31 2"
153||P 32 1 2|P 32 2c (0 0 -1)
154||P 32 2 1|P 32 2"
155|H|R 3 2|R 3 2";R|R 3 2|P 3* 2
156||P 3 m 1|P 3 -2"
157||P 3 1 m|P 3 -2
158||P 3 c 1|P 3 -2"c
159||P 3 1 c|P 3 -2c
160|H|R 3 m|R 3 -2";R|R 3 m|P 3* -2
161|H|R 3 c|R 3 -2"c;R|R 3 c|P 3* -2n
162||P -3 1 m|-P 3 2
163||P -3 1 c|-P 3 2c
164||P -3 m 1|-P 3 2"
165||P -3 c 1|-P 3 2"c
166|H|R -3 m|-R 3 2";R|R -3 m|-P 3* 2
167|H|R -3 c|-R 3 2"c;R|R -3 c|-P 3* 2n
168||P 6|P 6
169||P 61|P 61
170||P 65|P 65
171||P 62|P 62
172||P 64|P 64
173||P 63|P 6c
174||P -6|P -6
175||P 6/m|-P 6
176||P 63/m|-P 6c
177||P 6 2 2|P 6 2
178||P 61 2 2|P 61 2 (0 0 -1)
179||P 65 2 2|P 65 2 (0 0 1)
180||P 62 2 2|P 62 2c (0 0 1)
181||P 64 2 2|P 64 2c (0 0 -1)
182||P 63 2 2|P 6c 2c
183||P 6 m m|P 6 -2
184||P 6 c c|P 6 -2c
185||P 63 c m|P 6c -2
186||P 63 m c|P 6c -2c
187||P -6 m 2|P -6 2
188||P -6 c 2|P -6c 2
189||P -6 2 m|P -6 -2
190||P -6 2 c|P -6c -2c
191||P 6/m m m|-P 6 2
192||P 6/m c c|-P 6 2c
193||P 63/m c m|-P 6c 2
194||P 63/m m c|-P 6c 2c
195||P 2 3|P 2 2 3
196||F 2 3|F 2 2 3
197||I 2 3|I 2 2 3
198||P 21 3|P 2ac 2ab 3
199||I 21 3|I 2b 2c 3
200||P m -3|-P 2 2 3
201|1|P n -3|P 2 2 3 -1n;2|P n -3|-P 2ab 2bc 3
202||F m -3|-F 2 2 3
203|1|F d -3|F 2 2 3 -1d;2|F d -3|-F 2uv 2vw 3
204||I m -3|-I 2 2 3
205||P a -3|-P 2ac 2ab 3
206||I a -3|-I 2b 2c 3
207||P 4 3 2|P 4 2 3
208||P 42 3 2|P 4n 2 3
209||F 4 3 2|F 4 2 3
210||F 41 3 2|F 4d 2 3
211||I 4 3 2|I 4 2 3
212||P 43 3 2|P 4acd 2ab 3
213||P 41 3 2|P 4bd 2ab 3
214||I 41 3 2|I 4bd 2c 3
215||P -4 3 m|P -4 2 3
216||F -4 3 m|F -4 2 3
217||I -4 3 m|I -4 2 3
218||P -4 3 n|P -4n 2 3
219||F -4 3 c|F -4c 2 3
220||I -4 3 d|I -4bd 2c 3
221||P m -3 m|-P 4 2 3
222|1|P n -3 n|P 4 2 3 -1n;2|P n -3 n|-P 4a 2bc 3
223||P m -3 n|-P 4n 2 3
224|1|P n -3 m|P 4n 2 3 -1n;2|P n -3 m|-P 4bc 2bc 3
225||F m -3 m|-F 4 2 3
226||F m -3 c|-F 4c 2 3
227|1|F d -3 m|F 4d 2 3 -1d;2|F d -3 m|-F 4vw 2vw 3
228|1|F d -3 c|F 4d 2 3 -1cd;2|F d -3 c|-F 4cvw 2vw 3
229||I m -3 m|-I 4 2 3
230||I a -3 d|-I 4bd 2c 3
`;
