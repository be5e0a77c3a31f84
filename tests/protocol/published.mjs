// Drives elm-lantern serve with the protocol's published test client, and validates every message it sends, here and
// in the recording of our own client, against a schema made from the published types.
// Usage: published.mjs SOURCE_FOLDER BUILD_FOLDER RECORDING
import { createRequire } from 'node:module';
import fs from 'node:fs';
import path from 'node:path';
import assert from 'node:assert';

const require = createRequire(import.meta.url);
const { DebugClient } = require('@vscode/debugadapter-testsupport');
const Ajv = require('ajv').default ?? require('ajv');
const [, , source, build, recording] = process.argv;
const lantern = path.join(build, 'elm-lantern');
const sheet = path.join(source, 'demo/day-sheet.txt');
const file = path.join(source, 'demo/lockflow.c');
const program = path.join(build, 'demo/lockflow');

const ajv = new Ajv({ allErrors: true, strict: false });
ajv.addSchema(JSON.parse(fs.readFileSync('schema.json', 'utf8')), 'protocol');
const capital = (word) => word[0].toUpperCase() + word.slice(1);
const typeOf = (message) =>
    message.type === 'event' ? capital(message.event) + 'Event'
        : message.type === 'request' ? capital(message.command) + 'Request'
            : message.success ? capital(message.command) + 'Response' : 'ErrorResponse';
let checked = 0;
const kinds = new Set(), wrong = [];
function validate(message) {
    const type = typeOf(message), check = ajv.getSchema(`protocol#/definitions/DebugProtocol.${type}`);
    checked++;
    kinds.add(type);
    if (!check) wrong.push(`${type}: the protocol has none`);
    else if (!check(message)) wrong.push(`${type}: ${ajv.errorsText(check.errors)}\n    ${JSON.stringify(message).slice(0, 400)}`);
}

function lineOf(text) {
    return fs.readFileSync(file, 'utf8').split('\n').findIndex((line) => line.includes(text)) + 1;
}

async function withClient(work) {
    const client = new DebugClient(lantern, 'serve', 'elm-lantern');
    const dispatch = client.dispatch.bind(client);
    client.dispatch = (body) => { validate(JSON.parse(body)); dispatch(body); };
    client.defaultTimeout = 10000;
    await client.start();
    try { await work(client); } finally { await client.stop(); }
}

const launch = { program, stdin: sheet };
const tests = {
    async 'a program runs to its end'(client) {
        await Promise.all([client.configurationSequence(), client.launch(launch), client.waitForEvent('terminated'),
            client.assertOutput('stdout', fs.readFileSync(sheet, 'utf8').split('\n')[0])]);
    },
    async 'it stops on entry'(client) {
        await Promise.all([client.configurationSequence(), client.launch({ ...launch, stopOnEntry: true }),
            client.assertStoppedLocation('entry', { path: file, line: lineOf('int count = 0') })]);
    },
    async 'a breakpoint is hit'(client) {
        await client.hitBreakpoint(launch, { path: file, line: lineOf('int headroom_cm') });
        const { body } = await client.stackTraceRequest({ threadId: 1 });
        assert.equal(body.stackFrames[0].name, 'pass_chamber');
        const scopes = await client.scopesRequest({ frameId: body.stackFrames[0].id });
        for (const scope of scopes.body.scopes) await client.variablesRequest({ variablesReference: scope.variablesReference });
        await Promise.all([client.nextRequest({ threadId: 1 }), client.assertStoppedLocation('step', { line: lineOf('int headroom_cm') + 1 })]);
        await Promise.all([client.stepOutRequest({ threadId: 1 }), client.waitForEvent('stopped')]);
    },
    async 'a conditional breakpoint is hit'(client) {
        await Promise.all([client.waitForEvent('initialized').then(async () => {
            await client.setBreakpointsRequest({ source: { path: file },
                breakpoints: [{ line: lineOf('chamber->passages++'), condition: 'chamber->level_cm > 200' }] });
            await client.configurationDone();
        }), client.launch(launch), client.assertStoppedLocation('breakpoint', { line: lineOf('chamber->passages++') })]);
        const { body } = await client.evaluateRequest({ expression: 'chamber->level_cm', context: 'watch',
            frameId: (await client.stackTraceRequest({ threadId: 1 })).body.stackFrames[0].id });
        assert(Number(body.result) > 200, body.result);
    },
    async 'a breakpoint on a function'(client) {
        await Promise.all([client.waitForEvent('initialized').then(async () => {
            await client.setFunctionBreakpointsRequest({ breakpoints: [{ name: 'take_through' }] });
            await client.setExceptionBreakpointsRequest({ filters: ['panic'] });
            await client.configurationDone();
        }), client.launch(launch), client.assertStoppedLocation('function breakpoint', { path: file, line: lineOf('for (int lock = 0; lock <= LOCKS') })]);
        await client.threadsRequest();
        await client.modulesRequest({});
        await Promise.all([client.continueRequest({ threadId: 1 }), client.waitForEvent('stopped')]);
    },
    async 'what is unknown is an error'(client) {
        await client.initializeRequest();
        await assert.rejects(client.send('flyAway'));
        await assert.rejects(client.launchRequest({ program: '/nowhere/at/all' }));
    },
};

let failed = 0;
for (const [name, test] of Object.entries(tests)) {
    try {
        await withClient(test);
        console.log(`passed  ${name}`);
    } catch (error) {
        failed++;
        console.log(`FAILED  ${name}: ${error.stack}`);
    }
}
const own = checked;
if (fs.existsSync(recording))
    for (const line of fs.readFileSync(recording, 'utf8').split('\n')) if (line) validate(JSON.parse(line));
console.log(`${checked} messages of ${kinds.size} kinds checked, ${checked - own} of them from the recording`);
for (const each of new Set(wrong.map((w) => w.split('\n')[0]))) console.log(`WRONG  ${wrong.find((w) => w.startsWith(each))}`);
process.exit(failed || wrong.length ? 1 : 0);
