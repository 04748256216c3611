"""From bytes and bits to the frames of a link: telegrams, sentences, Modbus, HDLC, network packets."""
