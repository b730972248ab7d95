class QuotesController < ActionController::Base
  def show
    number = params[:number].to_i
    total = number * 2
    render plain: total
  end
end
