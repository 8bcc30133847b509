/** Starts the server on the local machine. */
import { fileURLToPath } from 'node:url';
import { createApp } from './app.ts';

const port = Number(process.env['PORT'] ?? 4620);
const dist = fileURLToPath(new URL('../../web/dist', import.meta.url));
const server = createApp(dist).listen(port, '127.0.0.1', () =>
  process.stdout.write(`Nagare is at http://127.0.0.1:${port}\n`),
);
server.on('error', (e: NodeJS.ErrnoException) => {
  process.stderr.write(
    e.code === 'EADDRINUSE' ? `Port ${port} is taken. Choose another: PORT=4700 npm start\n` : `${e.message}\n`,
  );
  process.exit(2);
});
