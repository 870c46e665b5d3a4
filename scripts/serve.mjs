// Serves the build on loopback. The address is checked here: `localhost` and `127.0.0.1` are one
// and the same to a person, and any other name is refused (against rebinding of names).
import http from 'node:http';
import path from 'node:path';
import { pathToFileURL } from 'node:url';

const port = Number(process.env.PORT);
const extra = (process.env.RIGID_HOSTS ?? '').split(',').filter(Boolean);
const hosts = new Set([`localhost:${port}`, `127.0.0.1:${port}`, ...extra]);

process.env.PROTOCOL_HEADER = 'x-rigid-protocol';
process.env.HOST_HEADER = 'x-rigid-host';
process.env.BODY_SIZE_LIMIT ??= '24M';
const { handler } = await import(
	pathToFileURL(path.join(process.env.RIGID_BUILD, 'handler.js')).href
);

const server = http.createServer((req, res) => {
	const host = req.headers.host ?? '';
	if (!hosts.has(host)) {
		res.writeHead(421, { 'content-type': 'text/plain; charset=utf-8' });
		res.end(
			`This server answers as ${[...hosts].join(' or ')}. Set RIGID_HOSTS for another name.\n`
		);
		return;
	}
	// what a client claims about this is not believed
	req.headers['x-rigid-protocol'] = 'http';
	req.headers['x-rigid-host'] = host;
	handler(req, res, () => {
		res.writeHead(404);
		res.end();
	});
});
server.listen(port, process.env.RIGID_LISTEN ?? '127.0.0.1');

/** How long requests that are under way may take to finish once the server is told to end, milliseconds. */
const STOP_LIMIT = Number(process.env.RIGID_STOP_LIMIT ?? 10_000);
let ending = false;
function end() {
	if (ending) return;
	ending = true;
	// no new ones; those under way finish, and what only waits for a next request is closed
	server.close(() => process.exit(0));
	server.closeIdleConnections();
	setInterval(() => server.closeIdleConnections(), 200).unref();
	setTimeout(() => {
		server.closeAllConnections();
		process.exit(0);
	}, STOP_LIMIT).unref();
}
process.on('SIGTERM', end);
process.on('SIGINT', end);

// whoever started it may be killed without a word; then it ends too
const parent = process.ppid;
setInterval(() => {
	if (process.ppid !== parent) end();
}, 1000).unref();
