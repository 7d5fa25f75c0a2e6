import { QRCodeSVG } from 'qrcode.react';

/** A link code to be scanned: dark on white on either chart, as scanners want it. */
export default function CodePicture({ code }: { code: string }) {
  return (
    <QRCodeSVG
      value={code}
      size={84}
      marginSize={2}
      bgColor="#ffffff"
      fgColor="#000000"
      className="ml-auto shrink-0"
      title="The code, to be scanned"
    />
  );
}
