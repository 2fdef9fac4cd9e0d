import { spawn, type ChildProcess } from 'node:child_process'
import { existsSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo, Socket } from 'node:net'
import { createInterface, type Interface } from 'node:readline'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { exchange } from '../../src/runtime/exchange.js'
import type { CompanyLogin } from '../../src/runtime/node/ntlm.js'
import { nodeTransport } from '../../src/runtime/node/transport.js'

/**
 * Samba's program for web servers, which knows nothing of us, judges the messages of the company
 * login: one of it for each connection, as a proxy would have it.
 */
const acceptor = '/usr/bin/ntlm_auth'
const isThere = process.env['TOLMACH_WANTS_SERVERS'] === '1' || existsSync(acceptor)

const known = { user: 'clerk', password: 'Pä§s wörd…', domain: 'HARBOUR' }

/** What the program says of messages in turn (its protocol is that of helpers of proxies). */
class Acceptor {
  private readonly program: ChildProcess
  private readonly lines: AsyncIterator<string>

  constructor() {
    this.program = spawn(
      acceptor,
      [
        '--helper-protocol=squid-2.5-ntlmssp',
        `--username=${known.user}`,
        `--password=${known.password}`,
        `--domain=${known.domain}`,
      ],
      { stdio: ['pipe', 'pipe', 'ignore'], env: { ...process.env, LC_ALL: 'C.UTF-8' } },
    )
    const lines: Interface = createInterface({
      input: this.program.stdout as NodeJS.ReadableStream,
    })
    this.lines = lines[Symbol.asyncIterator]()
  }

  async say(line: string): Promise<readonly [word: string, rest: string]> {
    this.program.stdin?.write(`${line}\n`)
    const { value = '' } = (await this.lines.next()) as { value?: string }
    const [word = '', ...rest] = value.split(' ')
    return [word, rest.join(' ')]
  }

  stop(): void {
    this.program.kill()
  }
}

;(isThere ? describe : describe.skip)(
  'company login, judged by Samba (left out where it is not installed)',
  () => {
    let server: Server
    let url: string
    const acceptors = new Map<Socket, { readonly judge: Acceptor; user?: string }>()

    beforeAll(async () => {
      server = createServer((request, response) => {
        const { socket } = request
        const state = acceptors.get(socket) ?? { judge: new Acceptor() }
        acceptors.set(socket, state)
        const token = /^NTLM (.*)$/.exec(request.headers.authorization ?? '')?.[1]
        const refuse = (value = 'NTLM'): void => {
          response.writeHead(401, { 'www-authenticate': value }).end()
        }
        const answer = async (): Promise<void> => {
          if (state.user !== undefined) return void response.end(`still ${state.user}`)
          if (token === undefined) return refuse()
          const isFirst = Buffer.from(token, 'base64').readUInt32LE(8) === 1
          const [word, rest] = await state.judge.say(`${isFirst ? 'YR' : 'KK'} ${token}`)
          if (word === 'TT') return refuse(`NTLM ${rest}`)
          if (word !== 'AF') return refuse()
          state.user = rest
          response.end(`in as ${rest}`)
        }
        void answer()
      })
      await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
      url = `http://127.0.0.1:${String((server.address() as AddressInfo).port)}`
    })
    afterAll(() => {
      for (const { judge } of acceptors.values()) judge.stop()
      server.closeAllConnections()
      server.close()
    })

    const asking = (companyLogin: CompanyLogin): (() => Promise<string>) => {
      const connection = {
        settings: { fetch: nodeTransport({ companyLogin }) },
        endpoints: {},
        closed: new AbortController(),
      }
      return async () => {
        const request = { method: 'POST', url, headers: {}, body: 'x' }
        const { body } = await exchange(connection, request, {}, () => '')
        return new TextDecoder().decode(body)
      }
    }

    test.each([
      ['as the user is known', known],
      ['with the name in another case', { ...known, user: 'Clerk' }],
      ['without a domain', { user: known.user, password: known.password }],
      ['from a workstation', { ...known, workstation: 'GATE7' }],
    ])('%s: in, and the connection stays so', async (_, login) => {
      const ask = asking(login)
      expect(await ask()).toMatch(/^in as .*clerk$/i)
      expect(await ask()).toMatch(/^still .*clerk$/i)
    })

    test.each([
      ['a wrong password', { ...known, password: 'Pä§s wörd' }],
      ['no password', { ...known, password: '' }],
    ])('%s: refused', async (_, login) => {
      await expect(asking(login)()).rejects.toMatchObject({ kind: 'login', status: 401 })
    })
  },
)
