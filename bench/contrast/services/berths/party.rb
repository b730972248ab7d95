# Who travels together.
class Party
  attr_reader :people, :together, :quiet

  def initialize(people, together, quiet)
    raise ArgumentError, 'nobody travels' if people < 1

    @people = people
    @together = together
    @quiet = quiet
  end

  def family?
    people > 2 && together
  end
end
