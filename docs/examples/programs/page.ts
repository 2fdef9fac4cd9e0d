// A page in a browser, put together by any bundler. The service has to allow it (CORS), or a server
// of your own stands between.
import { BerthDesk } from './clients/berths/index.js'

const desk = new BerthDesk({
  url: new URL(document.body.dataset['desk'] ?? '', location.href).href,
})
const list = document.createElement('ul')
document.body.append(list)
desk.listBerths({ Basin: 'South' }).then(
  (berths) => {
    for (const { Code, Name } of berths) {
      const item = document.createElement('li')
      item.textContent = `${Code} ${Name}`
      list.append(item)
    }
  },
  (error: unknown) => {
    list.textContent = error instanceof Error ? error.message : 'unknown'
  },
)
