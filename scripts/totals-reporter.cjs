// Prints the totals of a test run as one plain line.
module.exports = class TotalsReporter {
  onRunComplete(_contexts, results) {
    const failed = results.numFailedTests + results.numRuntimeErrorTestSuites
    process.on('exit', () =>
      process.stdout.write(`${results.numPassedTests} passed, ${failed} failed\n`),
    )
  }
}
