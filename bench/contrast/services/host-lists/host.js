const EACH = 28;

class Host {
  constructor(name, beds) {
    this.name = name;
    this.beds = beds;
  }

  isValid() {
    return typeof this.name === 'string' && this.name !== '' && this.beds > 0;
  }

  title() {
    return this.beds > 3 ? `House of ${this.name}` : this.name;
  }

  price() {
    const whole = this.beds * EACH;
    return this.beds >= 4 ? whole - 10 : whole;
  }
}

exports.Host = Host;
