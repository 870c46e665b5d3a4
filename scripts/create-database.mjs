// Makes an empty database: node scripts/create-database.mjs SERVER_URL NAME
import pg from 'pg';

const [server, name] = process.argv.slice(2);
if (!/^[a-z0-9_]+$/.test(name ?? ''))
	throw new Error('A database is named with small letters, digits and _.');
const client = new pg.Client({ connectionString: server });
await client.connect();
await client.query(`create database ${name}`);
await client.end();
