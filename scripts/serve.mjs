// Serves the build on loopback. The address is checked here: `localhost` and `127.0.0.1` are one
// and the same to a person, and any other name is refused (against rebinding of names).
import fs from 'node:fs';
import http from 'node:http';
import { syncBuiltinESMExports } from 'node:module';
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import compression from 'compression';
import proxyaddr from 'proxy-addr';

const port = Number(process.env.PORT);
const extra = (process.env.RIGID_HOSTS ?? '').split(',').filter(Boolean);
const hosts = new Set([`localhost:${port}`, `127.0.0.1:${port}`, ...extra]);

/** Proxies whose word counts: addresses, ranges as 10.0.0.0/8, or loopback, linklocal, uniquelocal. */
let trusted;
try {
	const list = (process.env.RIGID_PROXIES ?? '').split(',').map((p) => p.trim());
	trusted = proxyaddr.compile(list.filter(Boolean));
} catch (e) {
	console.error(`RIGID_PROXIES names proxies by address or range: ${e.message}`);
	process.exit(1);
}

// What sends the files of the pages listens to no error, and one that nobody listens to would end the server: a file that
// cannot be read, because a newer build took its place or too many are open, ends its answer. And whoever goes away
// before all of it came leaves no file open.
const open = fs.createReadStream;
fs.createReadStream = (...args) => {
	const file = open(...args);
	const { pipe } = file;
	file.pipe = (to, how) => {
		file.on('error', (e) => to.destroy(e));
		to.once('close', () => file.destroy());
		return pipe.call(file, to, how);
	};
	return file;
};
syncBuiltinESMExports();

process.env.PROTOCOL_HEADER = 'x-rigid-protocol';
process.env.HOST_HEADER = 'x-rigid-host';
process.env.ADDRESS_HEADER = 'x-rigid-address';
process.env.BODY_SIZE_LIMIT ??= '24M';
const { handler } = await import(
	pathToFileURL(path.join(process.env.RIGID_BUILD, 'handler.js')).href
);

/** Pages and answers are compressed as the browser takes them; a stream of events leaves as it comes. */
const compress = compression({
	filter: (req, res) =>
		!String(res.getHeader('content-type')).startsWith('text/event-stream') &&
		compression.filter(req, res)
});

/**
 * Sends on what is written, also where more follows: a compressor keeps what it has until it has much, and a page
 * whose counts come behind it would wait for them.
 */
function sendOn(res) {
	const write = res.write;
	let soon = false;
	res.write = function (...args) {
		if (!soon)
			setImmediate(() => {
				soon = false;
				if (!res.writableEnded) res.flush?.();
			});
		soon = true;
		return write.apply(res, args);
	};
}

/** What a proxy says of the request as it came to it; the first where several stand behind one another. */
const forwarded = (req, name) => req.headers[`x-forwarded-${name}`]?.split(',')[0].trim();

const server = http.createServer((req, res) => {
	const proxied = trusted(req.socket.remoteAddress ?? '', 0);
	const secure = proxied && forwarded(req, 'proto') === 'https';
	const host = (proxied && forwarded(req, 'host')) || (req.headers.host ?? '');
	res.setHeader('x-content-type-options', 'nosniff');
	if (secure) res.setHeader('strict-transport-security', 'max-age=31536000');
	if (!hosts.has(host)) {
		res.writeHead(421, { 'content-type': 'text/plain; charset=utf-8' });
		res.end(
			`This server answers as ${[...hosts].join(' or ')}. Set RIGID_HOSTS for another name.\n`
		);
		return;
	}
	// files are sent whole, as RFC 9110, 14.2 allows: of a range that ends before it begins what sends them makes an error
	delete req.headers.range;
	// what anybody else claims about this is not believed
	req.headers['x-rigid-protocol'] = secure ? 'https' : 'http';
	req.headers['x-rigid-host'] = host;
	req.headers['x-rigid-address'] = proxyaddr(req, trusted) || '0.0.0.0';
	compress(req, res, () => {
		sendOn(res);
		handler(req, res, () => {
			res.writeHead(404);
			res.end();
		});
	});
});
// a request that does not come in whole within this time is given up, milliseconds
server.requestTimeout = Number(process.env.RIGID_REQUEST_LIMIT ?? 120_000);
server.listen(port, process.env.RIGID_LISTEN ?? '127.0.0.1');

/** How long requests that are under way may take to finish once the server is told to end, milliseconds. */
const STOP_LIMIT = Number(process.env.RIGID_STOP_LIMIT ?? 10_000);
// every stream that is open waits for it
process.setMaxListeners(0);
let ending = false;
function end(code = 0) {
	if (ending) return;
	ending = true;
	// streams are closed by whoever holds them; what is done beside requests is handed back
	process.emit('rigid:ending');
	// no new ones; those under way finish, and what only waits for a next request is closed
	server.close(() => process.exit(code));
	server.closeIdleConnections();
	setInterval(() => server.closeIdleConnections(), 200).unref();
	setTimeout(() => {
		server.closeAllConnections();
		process.exit(code);
	}, STOP_LIMIT).unref();
}
process.on('SIGTERM', () => end());
process.on('SIGINT', () => end());

// What nobody caught is told. A promise that nobody waited for harms nothing else; after anything else nobody knows in
// which state this process is: others' requests finish, and whoever started it starts it anew.
process.on('uncaughtException', (e, origin) => {
	const told = { level: 60, time: Date.now(), pid: process.pid, msg: 'nobody caught an error' };
	console.error(JSON.stringify({ ...told, origin, err: e?.stack ?? String(e) }));
	if (origin !== 'unhandledRejection') end(1);
});

// whoever started it may be killed without a word; then it ends too
const parent = process.ppid;
setInterval(() => {
	if (process.ppid !== parent) end();
}, 1000).unref();
