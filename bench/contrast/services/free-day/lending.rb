class Lending
  attr_reader :kind, :from, :to

  def self.read(body)
    new(body['kind'] || 'city', body['from'], body['to'])
  end

  def initialize(kind, from, to)
    @kind = kind
    @from = from
    @to = to
  end

  def days
    count = to - from + 1
    count
  end
end
