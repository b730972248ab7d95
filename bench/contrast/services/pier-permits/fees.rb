# What a permit costs.
module Fees
  DEPOSIT = 100

  def self.of(berth, applicant)
    fee = berth[:each] * applicant.weeks
    fee += DEPOSIT unless applicant.insured?
    fee -= 10 if applicant.weeks > 1
    fee
  end
end
