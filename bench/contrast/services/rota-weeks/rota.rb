require_relative 'week'

# Gives the days to the crew in turn.
class Rota
  def initialize(crew, night: false)
    @crew = crew
    @night = night
    @turn = 0
  end

  def row(day)
    who = @crew[@turn % @crew.size]
    @turn += 1
    { day: Week.name(day), who: who, weekend: Week.weekend?(day), night: @night ? true : false }
  end
end
