# Whoever asks for a permit.
class Applicant
  attr_reader :who, :length, :weeks

  def initialize(body)
    @who = body['who'].to_s.strip
    @length = body['boat'].to_f
    @weeks = body.fetch('weeks', 1)
    @insured = body['insured'] || true
  end

  def insured?
    @insured
  end

  def problem
    return 'who are you?' if @who.empty?
    return 'how long is the boat?' unless @length.positive?

    nil
  end
end
