class Rates
  FACTORS = { 'summer' => 1.5, 'winter' => 1.0 }.freeze

  def initialize
    @season = season_of(6)
  end

  def rate_for(month)
    season = current(month)
    FACTORS.fetch(season)
  end

  def current(month)
    @season ||= season_of(month)
    @season
  end

  def season_of(month)
    month.between?(5, 9) ? 'summer' : 'winter'
  end
end
