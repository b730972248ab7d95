require_relative 'job'
require_relative 'tugs'
require_relative 'fees'

# Tows in the harbour: which tug goes, and what it costs.
def handle(path, body)
  return { error: 'not found' } unless path == '/tow'

  job = Job.new(body['boat'], body['from'], body['to'])
  return { error: 'out of the harbour' } unless job.inside?

  tug = Tugs.for(job.length, job.depth)
  fee = Fees.of(tug, job.length, night: body['night'])
  { tug: tug.name, miles: job.length, depth: job.depth, fee: fee }
end
