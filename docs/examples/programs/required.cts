// A program of CommonJS. What the compiler makes of the client is required as it is: Node.js 20.19
// and newer requires ES modules too.
import desk = require('./clients/berths/index.js')

async function main(): Promise<void> {
  const berth = await desk.BerthDesk.fromVariables(process.env).getBerth({ Code: 'S-3' })
  console.log(berth.Name)
}

void main()
