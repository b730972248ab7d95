require_relative 'applicant'
require_relative 'berths'
require_relative 'fees'

# Permits to lie at the pier.
def handle(path, body)
  return { error: 'not found' } unless path == '/permits'

  applicant = Applicant.new(body)
  return { error: applicant.problem } if applicant.problem

  berth = Berths.for(applicant.length)
  fee = Fees.of(berth, applicant)
  { who: applicant.who, berth: berth[:name], fee: fee, note: note(applicant) }
end

def note(applicant)
  applicant.insured? ? 'welcome' : 'bring your papers'
end
