/** The inventory of the demo order: some of it is here, some is still to come, one item is not what its label says. */
export const demoInventory = `Name;Carrier;Length;Frame;Rate;Scan;Codec;Size;Notes
Harbour inspection tape 12;DV tape, box 2;0:07;720x480;29.97;bottom field first;DV;;
Harbour inspection tape 13;DV tape, box 2;0:05;720x480;29.97;bottom field first;DV;;
Harbour inspection tape 14;DV tape, box 2;1:02:30;720x480;29.97;bottom field first;DV;13.4 GB;promised for Thursday
Harbour inspection tape 15;DV tape, box 2;58:10;720x480;29.97;bottom field first;DV;12.5 GB;sticky, baked first
Weather watch;hard disk 1;2:00;3840x2160;25;progressive;H.264;;the label says 4K
Keeper's rounds, reel 2;film transfer;11:20;720x480;29.97;;H.264;1.7 GB;
Lamp-room training disc 5;disc, box 1;42:00;720x576;25;interlaced;MPEG-2;1.9 GB;
`
